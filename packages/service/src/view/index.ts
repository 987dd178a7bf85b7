export { viewRoutes } from './routes.ts';
export { prepareBoardFigure, revisionsOf, type PreparedView, type ViewRequest } from './usecases.ts';
export { explainLimits } from './see.ts';
export { dataFigures, filterOf, readOne, revisionFor } from './figures.ts';
export { limitsOf, parameterWords } from './show.ts';
export { streamChanges } from './events.ts';
