import {
  namedHolders,
  rightLevels,
  type GrantHolder,
  type MaskEffect,
  type MaskHolder,
  type RightLevel,
  type ThingKind,
} from '@underbell/core/access';
import { columnTypes } from '@underbell/core/dataset';
import {
  boolean,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  serial,
  text,
  word,
  type RowOf,
} from '../platform/records/index.ts';

const origins = ['here', 'directory'] as const;

/** Of a user, what is kept as the directory wrote it (RFC 7643, section 4.1). */
export interface DirectoryUser {
  readonly userName?: string;
  readonly displayName?: string;
  readonly name?: { readonly formatted?: string; readonly givenName?: string; readonly familyName?: string };
  readonly emails?: readonly { readonly value?: string; readonly type?: string; readonly primary?: boolean }[];
}

export const people = defineModel('people', {
  id: key(text()),
  /** In small letters. */
  email: text(),
  name: text(),
  passwordHash: nullable(text()),
  isAdministrator: filled(boolean()),
  state: filled(oneOf('invited', 'active', 'guest', 'left')),
  attributes: filled(json<Record<string, string[]>>()),
  failedSignIns: filled(integer()),
  lockedUntil: nullable(instant()),
  organisation: nullable(text()),
  origin: filled(oneOf(...origins)),
  /** The name that its directory calls them by, in small letters. */
  userName: nullable(text()),
  /** What its directory says of them, as it says it. */
  directoryUser: nullable(json<DirectoryUser>()),
  /** When its directory deleted them: for it, they are not there. */
  deletedAt: nullable(instant()),
  externalId: nullable(text()),
  directorySubject: nullable(text()),
  changedAt: filled(instant()),
});
export type PersonRow = Omit<RowOf<typeof people>, 'failedSignIns' | 'lockedUntil'>;
export type PersonState = PersonRow['state'];

export const groups = defineModel('groups', {
  name: key(text()),
  id: filled(text()),
  origin: filled(oneOf(...origins)),
  externalId: nullable(text()),
  changedAt: filled(instant()),
});
export type GroupRow = RowOf<typeof groups>;

export const groupMembers = defineModel('group_members', {
  groupName: key(refersTo(text(), 'groups', 'group')),
  personId: key(refersTo(text(), 'people', 'person')),
  isOwner: filled(boolean()),
  /** Who owns a group keeps it, and belongs to it only where that is said as well. */
  isMember: filled(boolean()),
});
export type MemberRow = RowOf<typeof groupMembers>;

/** What an attribute of people holds. */
export const attributes = defineModel('attributes', {
  name: key(text()),
  label: text(),
  type: oneOf(...columnTypes),
  isMany: filled(boolean()),
});
export type AttributeRow = RowOf<typeof attributes>;

export const sessions = defineModel('sessions', {
  fingerprint: key(text()),
  personId: refersTo(text(), 'people', 'person'),
  kind: oneOf('browser', 'command line', 'frame', 'chat'),
  createdAt: instant(),
  expiresAt: instant(),
});
export type SessionRow = RowOf<typeof sessions>;

export const grants = defineModel('grants', {
  id: serial(),
  holderKind: oneOf<GrantHolder['kind']>(...namedHolders, 'everyone'),
  /** The number of a person, the name of what else holds it. */
  holderName: filled(text()),
  thingKind: word<ThingKind>(),
  thingName: text(),
  level: oneOf<RightLevel>(...rightLevels),
  canPassOn: filled(boolean()),
  /** The number of a person. */
  givenBy: filled(text()),
  /** The person whose own limits apply to what a program reaches by it. */
  boundedBy: nullable(text()),
});
export type GrantRow = RowOf<typeof grants>;

export const folders = defineModel('folders', {
  name: key(text()),
  title: text(),
  /** The folder that it lies in. */
  parentName: nullable(refersTo(text(), 'folders', 'parent')),
});
export type FolderRow = RowOf<typeof folders>;

/** A reader's wish to see something, and its answer. */
export const accessRequests = defineModel('access_requests', {
  id: serial(),
  personId: refersTo(text(), 'people', 'person'),
  thingKind: word<ThingKind>(),
  thingName: text(),
  placementName: nullable(text()),
  words: filled(text()),
  state: filled(oneOf('open', 'granted', 'refused')),
  level: nullable(word<RightLevel>()),
  answer: filled(text()),
  answeredBy: nullable(text()),
  askedAt: instant(),
  answeredAt: nullable(instant()),
  /** It asks for what does not exist: its asker sees it as any other, and nobody else does. */
  goesNowhere: filled(boolean()),
});
export type AccessRequestRow = RowOf<typeof accessRequests>;

export const invitations = defineModel('invitations', {
  fingerprint: key(text()),
  personId: refersTo(text(), 'people', 'person'),
  invitedBy: text(),
  createdAt: instant(),
  expiresAt: instant(),
  acceptedAt: nullable(instant()),
});
export type InvitationRow = RowOf<typeof invitations>;

export const rowRules = defineModel('row_rules', {
  name: key(text()),
  datasetName: key(refersTo(text(), 'datasets', 'dataset')),
  appliesKind: oneOf('everyone', 'group', 'person'),
  appliesName: filled(text()),
  condition: text(),
});
export type RuleRow = RowOf<typeof rowRules>;

export const masks = defineModel('masks', {
  name: key(text()),
  datasetName: key(refersTo(text(), 'datasets', 'dataset')),
  appliesKind: oneOf<MaskHolder['kind']>('everyone', 'group', 'person', 'place'),
  appliesName: filled(text()),
  exceptGroups: filled(json<string[]>()),
  effect: json<MaskEffect>(),
});
export type MaskRow = RowOf<typeof masks>;

export const accessModels = [
  people,
  groups,
  groupMembers,
  attributes,
  sessions,
  grants,
  folders,
  accessRequests,
  invitations,
  rowRules,
  masks,
];
