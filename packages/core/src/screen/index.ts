export { ageOf, timeOnWall, type Age } from './dataAge.ts';
export {
  attributeTypes,
  checkScreenValues,
  shapeOfValues,
  type AttributeType,
  type ScreenAttribute,
  type ScreenValues,
} from './attributes.ts';
export { readUserCode, userCode } from './pairingCode.ts';
export {
  playlistFormat,
  playlistSchema,
  slotSchema,
  validatePlaylist,
  weekDays,
  type Hours,
  type PlaylistDefinition,
  type Slot,
  type SlotContent,
  type WeekDay,
  type WordValue,
} from './playlist.ts';
export { programOf, windowsOf, type Interruption, type PublishedPlaylist, type Window } from './schedule.ts';
export { renamedInPlaylist } from './applyRename.ts';
export { nextEdge, slotAt, type Stretch, type TimedSlot, type Turn } from './rotation.ts';
export { playlistChanges } from './scheduleChanges.ts';
export { contentWords } from './content.ts';
export { fillWords, placeholdersIn } from './placeholders.ts';
export { pageCaution, mediaFitWarning, screenGrid, type Pixels } from './mediaFit.ts';
export { screenParts, type ScreenPart } from './screenLayout.ts';
export {
  deviceWords,
  screenStateWords,
  type HeartbeatResponse,
  type Device,
  type ListedPlaylist,
  type Fleet,
  type ListedScreen,
  type PlannedScreen,
  type PlaylistPlan,
  type PlaylistTarget,
  type ScreenEvent,
  type ScreenCommand,
  type ScreenProgram,
  type ScreenCounts,
  type ScreenState,
  type ShownGroup,
  type ShownInterruption,
  type ShownNow,
  type ShownPlaylist,
  type ShownRevision,
  type ShownScreen,
  type MediaHandle,
  type ShownWords,
  type SlotHandle,
  type WaitingDevice,
} from './apiTypes.ts';
export { silentMs, stateOf } from './screenStatus.ts';
