export { findPlacement, type Placement } from './store.ts';
export { placeOf } from './view.ts';
export { savePlacement } from './usecases.ts';
