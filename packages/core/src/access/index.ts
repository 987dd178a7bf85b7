export { EffectiveFilter, type LimitOrigin, type LimitPart } from './effectiveFilter.ts';
export { viewerName, type ClientViewer, type PersonViewer, type Viewer } from './viewer.ts';
export {
  checkRule,
  checkTokenDatasets,
  checkTokenFilter,
  decideRecordRules,
  type Moment,
  type RecordRule,
} from './recordRules.ts';
export {
  decideRight,
  isAtLeast,
  rightLevels,
  thingKinds,
  type Grant,
  type Right,
  type RightLevel,
  type ThingKind,
} from './rights.ts';
export {
  readAuthorizationDetails,
  reportViewSchema,
  type ClientBounds,
  type ReportViewDetails,
} from './authorizationDetails.ts';
export { effectiveFilterOf, type Choice, type Viewing } from './viewLimits.ts';
