export { costsAround, requireBudget, warnOfCosts } from './limits.ts';
export { copyCosts, forgetOldCosts, meter, type CopyCost, type MeterEntry } from './store.ts';
export { meterRoutes } from './routes.ts';
