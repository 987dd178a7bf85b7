export { EffectiveFilter } from './effectiveFilter.ts';
export type { FilterSource, FilterPart } from './filterOrder.ts';
export { viewerName, type ClientViewer, type PersonViewer, type Viewer } from './viewer.ts';
export {
  checkPlacementFilter,
  checkScreenFilter,
  recordFieldsIn,
  requireRecord,
  type RecordField,
  checkRecipientFilter,
  checkRule,
  checkTokenDatasets,
  checkTokenFilter,
  fixesKey,
  decideAccess,
  type Moment,
  type RowRule,
} from './rowRules.ts';
export {
  permissionOf,
  decideRight,
  guestLevel,
  isAtLeast,
  mayPassOn,
  namedHolders,
  rightLevels,
  type Grant,
  type GrantHolder,
  type Right,
  type RightLevel,
  type Thing,
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
export { selectionColumn, selectionText } from './selectedValues.ts';
export { framingOrigins, isOrigin } from './origin.ts';
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
export { exactRowsSql, stepCountsSql, rowsSql, type RowsSql } from './securedRows.ts';
export { isOutside } from './filterOrder.ts';
export { maskedColumnSql } from './maskSql.ts';
export { narrowDetails } from './narrow.ts';
export {
  trashableKinds,
  kindInfo,
  foldedKinds,
  renamedKinds,
  deletableKinds,
  thingKinds,
  type BinnedKind,
  type FoldedKind,
  type RenamedKind,
  type TakenAwayKind,
  type ThingFacts,
  type ThingKind,
  isPeopleKind,
  peopleKinds,
  pluralOf,
  type NamedKind,
  type PeopleKind,
} from './resources/index.ts';
export { keysAfter, nameAfter, type Renaming } from './names.ts';
export type { TokenViewer } from './tokenViewer.ts';
export type {
  LimitWords,
  InvitedPeople,
  ListedPerson,
  OwnRequest,
  RowRuleTest,
  RuleVocabulary,
  ShownAttribute,
  ShownGrant,
  ShownGroup,
  ShownPerson,
  ShownRequest,
  ShownSession,
} from './apiTypes.ts';
