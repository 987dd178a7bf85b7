import type { NamedKind } from '@underbell/core/access';
import {
  bigint,
  boolean,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  serial,
  text,
  uuid,
  word,
  type RowOf,
} from './records/index.ts';

/** Changes as they are remembered, each with the hash of the one before. */
export const auditEntries = defineModel('audit', {
  id: serial(),
  at: instant(),
  who: text(),
  what: text(),
  thing: text(),
  origin: filled(text()),
  before: nullable(json<unknown>()),
  after: nullable(json<unknown>()),
  previousHash: text(),
  hash: text(),
});
export type AuditRow = RowOf<typeof auditEntries>;

/** Background work. */
export const jobs = defineModel('jobs', {
  id: serial(),
  kind: text(),
  payload: json<object>(),
  state: filled(oneOf('waiting', 'leased', 'done', 'failed')),
  /** How often it was taken up. */
  attempts: filled(integer()),
  lease: nullable(text()),
  leaseUntil: nullable(instant()),
  error: nullable(text()),
  createdAt: instant(),
  notBefore: nullable(instant()),
  /** How many workers died while they had it. */
  deaths: filled(integer()),
});

/** Changes whenever something is renamed or deleted: one row. */
export const namesVersions = defineModel('names_version', { id: key(filled(integer())), version: filled(bigint()) });

/** Names that things had before, and what they are called now. */
export const formerNameRows = defineModel('former_names', {
  kind: key(word<NamedKind>()),
  name: key(text()),
  nowName: text(),
});

/** Answers of writes that came with a key. */
export const idempotencyKeys = defineModel('idempotency_keys', {
  key: key(text()),
  request: text(),
  status: nullable(integer()),
  sealedAnswer: nullable(text()),
  createdAt: instant(),
});

/** Changes with every record that decides what a reader sees: one row. */
export const recordVersions = defineModel('record_mark', { id: key(filled(integer())), mark: filled(uuid()) });

/** What the installation knows of itself. */
export const settingRows = defineModel('settings', { name: key(text()), value: json<unknown>() });

/** One-time values that were used. */
export const usedOnce = defineModel('used_once', { key: key(text()), expiresAt: instant() });

/** When keys were used last, that are written down nowhere else. */
export const lastUses = defineModel('last_uses', { kind: key(text()), id: key(text()), at: instant() });

export const processRows = defineModel('processes', {
  id: key(text()),
  host: text(),
  process: integer(),
  role: filled(oneOf('web', 'worker', 'all')),
  /** Whether it takes jobs just now. */
  isWorker: filled(boolean()),
  connections: filled(integer()),
  /** How far its clock is ahead of the database's; milliseconds. */
  clockOffMs: filled(bigint()),
  startedAt: instant(),
  seenAt: instant(),
});

/** Tables that no capability has. */
export const platformModels = [
  auditEntries,
  jobs,
  formerNameRows,
  namesVersions,
  idempotencyKeys,
  recordVersions,
  settingRows,
  usedOnce,
  lastUses,
  processRows,
];
