export { viewRoutes } from './routes.ts';
export { prepareBoardFigure, revisionsOf, type PreparedView, type ViewRequest } from './usecases.ts';
export { explainLimits } from './see.ts';
export { dataFigures, readOne, revisionFor } from './figures.ts';
export { limitsOf } from './show.ts';
export { streamChanges } from './events.ts';
