export { reportRoutes } from './routes.ts';
export { findEdition, type Edition } from './store.ts';
export { publishReport } from './usecases.ts';
