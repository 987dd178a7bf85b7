export { reportRoutes } from './routes.ts';
export { findEdition, listReports, type Edition } from './store.ts';
export { publishReport } from './usecases.ts';
