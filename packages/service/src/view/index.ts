export { viewRoutes } from './routes.ts';
export { revisionsOf } from './usecases.ts';
export { explainLimits } from './see.ts';
