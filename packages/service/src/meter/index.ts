export { costsAround, requireBudget, warnOfCosts } from './limits.ts';
export { copyCosts, meter, type CopyCost, type MeterEntry } from './store.ts';
