export { reportRoutes } from './routes.ts';
export { findEdition, listReports, type Edition } from './store.ts';
export { checkReport, publishReport } from './usecases.ts';
export { usesOf } from './uses.ts';
