export { EffectiveFilter, type LimitOrigin, type LimitPart } from './effectiveFilter.ts';
export { viewerName, type ClientViewer, type PersonViewer, type Viewer } from './viewer.ts';
export {
  checkPlacementFilter,
  checkRecipientFilter,
  checkRule,
  checkTokenDatasets,
  checkTokenFilter,
  fixesKey,
  decideAccess,
  type Moment,
  type RecordRule,
} from './recordRules.ts';
export {
  clientGrant,
  decideRight,
  guestLevel,
  isAtLeast,
  mayPassOn,
  rightLevels,
  thingKinds,
  type Grant,
  type GrantHolder,
  type Right,
  type RightLevel,
  type Thing,
  type ThingKind,
} from './rights.ts';
export {
  checkBounds,
  readAuthorizationDetails,
  readNarrowing,
  reportViewSchema,
  tokenActions,
  type AskedDetails,
  type ClientBounds,
  type ReportViewDetails,
  type TokenAction,
} from './authorizationDetails.ts';
export {
  effectiveFilterOf,
  figureInView,
  ownFilterText,
  viewingBefore,
  type Choice,
  type Viewing,
  type Writing,
} from './viewLimits.ts';
export { markColumn, marksText } from './marks.ts';
export { isOrigin } from './origin.ts';
export {
  checkMask,
  decideMasks,
  isMasked,
  masksAny,
  maskWords,
  maskPlaces,
  maskedShape,
  noMasking,
  placeKinds,
  type Coarsening,
  type Mask,
  type MaskEffect,
  type MaskHolder,
  type MaskPlace,
  type Masking,
  type PlaceKind,
} from './masks.ts';
export { exactRowsSql, limitsPassedSql, rowsSql, type RowsSql } from './fencedRows.ts';
export { isOutside } from './layers.ts';
export { maskedColumnSql } from './maskSql.ts';
export { checkNewPassword } from './password.ts';
export { narrowDetails } from './narrow.ts';
