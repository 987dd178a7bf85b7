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
  decideRight,
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
} from './viewLimits.ts';
export { markColumn, marksText } from './marks.ts';
export {
  checkMask,
  decideMasks,
  isMasked,
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
export { maskedColumnSql, rowsSql } from './maskSql.ts';
export { checkNewPassword } from './password.ts';
export { narrowDetails } from './narrow.ts';
