export type { Placement } from './models.ts';
export { frameFor } from './oembed.ts';
export { findPlacement } from './store.ts';
export { editionIn, placeOf, thingIn } from './shown.ts';
export { savePlacement } from './usecases.ts';
export { isPublicKey, publicPage, publicViewer } from './public.ts';
