export type { Placement } from './models.ts';
export { findPlacement } from './store.ts';
export { placeOf } from './view.ts';
export { savePlacement } from './usecases.ts';
