export { refreshRoutes } from './routes.ts';
export { defineDataset } from './usecases.ts';
export { impactOf, refuseBreaks, type Impact } from './impact.ts';
