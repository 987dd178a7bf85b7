export type { Placement } from './models.ts';
export { embedLinks } from './oembed.ts';
export { findPlacement, listPlacements } from './store.ts';
export { shownEdition, placementInfo, shownResource } from './placementView.ts';
export {
  checkPlacement,
  datasetsIn,
  endPlacement,
  savePlacement,
  writePlacement,
  type PlacementWish,
} from './usecases.ts';
export { recordFieldsOf, resolvePlacement } from './resolvedPlacement.ts';
export { preparePlacement, openPlacement } from './view.ts';
export { placedPart, placementInput, wishOf, type PlacedPart } from './schemas.ts';
export { isPublicKey, publicPage, publicViewer } from './public.ts';
