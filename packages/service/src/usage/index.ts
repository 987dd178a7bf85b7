export { copyCosts, placementViews, programUses, type CopyCost } from './sums.sql.ts';
export { costsAround, requireBudget, warnOfCosts } from './limits.ts';
export { meter, type MeterEntry } from './store.ts';
