import type {
  AttributeType,
  Device,
  PlaylistDefinition,
  ScreenCommand,
  ScreenValues,
  ShownNow,
  Slot,
} from '@underbell/core/screen';
import {
  bigserial,
  bytes,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  text,
  word,
  type RowOf,
} from '../platform/records/index.ts';

/** What may be said of each screen. */
export const screenAttributes = defineModel('screen_attributes', {
  name: key(text()),
  label: text(),
  type: word<AttributeType>(),
});
export type AttributeRow = Readonly<RowOf<typeof screenAttributes>>;

export const screenGroups = defineModel('screen_groups', {
  name: key(text()),
  title: text(),
  /** From which age on what is shown is marked. */
  worryMinutes: integer(),
  /** After so long without a word a screen forgets what it keeps. */
  leaseHours: integer(),
  /** What stands there when no playlist applies. */
  otherwise: filled(text()),
  makerId: text(),
});
export type GroupRow = Readonly<RowOf<typeof screenGroups>>;

export const screens = defineModel('screens', {
  name: key(text()),
  title: text(),
  groupName: refersTo(text(), 'screen_groups', 'group'),
  attributes: filled(json<ScreenValues>()),
  timeZone: text(),
  language: text(),
  /** By address. */
  pairedBy: text(),
  pairedAt: instant(),
  endedBy: nullable(text()),
  endedAt: nullable(instant()),
  /** What the device said of itself. */
  asked: filled(json<Device>()),
});
export type ScreenRow = Readonly<RowOf<typeof screens>>;

/** The key of each screen that is not closed: bound to its device, renewed again and again. */
export const screenKeys = defineModel('screen_keys', {
  screenName: key(refersTo(text(), 'screens', 'screen')),
  /** Of the pairing. */
  keyId: text(),
  thumbprint: text(),
  refreshFingerprint: text(),
  /** The one before: the device may never have got the new one. */
  formerFingerprint: nullable(text()),
  /** Of what all keys of one pairing share; null until a key from before that was renewed. */
  familyFingerprint: nullable(text()),
  renewedAt: instant(),
});
export type KeyRow = Readonly<RowOf<typeof screenKeys>>;

/** Devices that wait for somebody to type their code. */
export const screenPairings = defineModel('screen_pairings', {
  deviceFingerprint: key(text()),
  userCode: text(),
  device: json<Device>(),
  state: oneOf('waiting', 'approved', 'refused', 'spent'),
  screenName: nullable(refersTo(text(), 'screens', 'screen')),
  askedAt: instant(),
  polledAt: nullable(instant()),
  expiresAt: instant(),
});
export type PairingRow = Readonly<RowOf<typeof screenPairings>>;

export const playlists = defineModel('playlists', {
  name: key(text()),
  title: text(),
  definition: json<PlaylistDefinition>(),
  version: integer(),
  /** By address. */
  changedBy: text(),
  changedAt: instant(),
});
export type PlaylistRow = Readonly<RowOf<typeof playlists>>;

/** What was published, each as it was. */
export const playlistRevisions = defineModel('playlist_revisions', {
  playlistName: key(refersTo(text(), 'playlists', 'playlist')),
  number: key(integer()),
  definition: json<PlaylistDefinition>(),
  /** Whose masks its conditions look through. */
  writerId: text(),
  publishedBy: text(),
  publishedAt: instant(),
  note: filled(text()),
});
export type RevisionRow = Readonly<RowOf<typeof playlistRevisions>>;

export type TargetKind = 'screen' | 'screen-group';
/** Which revision of a playlist a screen or a group has. */
export const playlistTargets = defineModel('playlist_targets', {
  playlistName: key(text()),
  revisionNumber: integer(),
  targetKind: key(oneOf<TargetKind>('screen', 'screen-group')),
  targetName: key(text()),
  publishedAt: instant(),
});
export type TargetRow = Readonly<RowOf<typeof playlistTargets>>;

/** What all screens of a group show for a while, before every playlist. */
export const screenInterruptions = defineModel('screen_interruptions', {
  id: bigserial(),
  groupName: refersTo(text(), 'screen_groups', 'group'),
  slot: json<Slot>(),
  writerId: text(),
  madeBy: text(),
  madeAt: instant(),
  until: instant(),
  endedBy: nullable(text()),
  endedAt: nullable(instant()),
});
export type InterruptionRow = Readonly<RowOf<typeof screenInterruptions>>;

/** The last word of each screen. */
export const screenStates = defineModel('screen_states', {
  screenName: key(refersTo(text(), 'screens', 'screen')),
  beatAt: instant(),
  shown: json<ShownNow>(),
  toldSilentAt: nullable(instant()),
  toldStaleAt: nullable(instant()),
});
export type StateRow = Readonly<RowOf<typeof screenStates>>;

export const screenHistory = defineModel('screen_history', {
  id: bigserial(),
  screenName: refersTo(text(), 'screens', 'screen'),
  at: instant(),
  what: text(),
  detail: filled(text()),
});
export type HistoryRow = Readonly<RowOf<typeof screenHistory>>;

/** The last small picture that each sent of what is on it. */
export const screenPictures = defineModel('screen_pictures', {
  screenName: key(refersTo(text(), 'screens', 'screen')),
  takenAt: instant(),
  bytes: bytes(),
});

/** What screens are told to do, until they have heard it. */
export const screenCommandRows = defineModel('screen_orders', {
  screenName: key(refersTo(text(), 'screens', 'screen')),
  order: key(word<ScreenCommand>()),
  givenAt: instant(),
});

export const screenModels = [
  screenAttributes,
  screenGroups,
  screens,
  screenKeys,
  screenPairings,
  playlists,
  playlistRevisions,
  playlistTargets,
  screenInterruptions,
  screenStates,
  screenHistory,
  screenCommandRows,
  screenPictures,
];
