export { placeRoutes } from './routes.ts';
export { findPlacement, type Placement } from './store.ts';
export { savePlacement } from './usecases.ts';
