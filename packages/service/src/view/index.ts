export { viewRoutes } from './routes.ts';
export { revisionsOf } from './usecases.ts';
