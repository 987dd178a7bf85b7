export { forgetOldCosts, meter, type MeterEntry } from './store.ts';
export { meterRoutes } from './routes.ts';
