import type { BurstDefinition, RunCause, RunStatus } from '@underbell/core/burst';
import type { MissedOutcome } from '@underbell/core/burst/apiTypes';
import {
  bigint,
  boolean,
  day,
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
  type RowOf,
} from '../platform/records/index.ts';

export const bursts = defineModel('bursts', {
  name: key(text()),
  definition: json<BurstDefinition>(),
  ownerId: refersTo(text(), 'people', 'owner'),
  /** When its schedule starts it next. */
  nextRunAt: nullable(instant()),
  /** The day on which it last ran because its data was loaded anew. */
  refreshedOn: nullable(day()),
  /** Since when it awaits that its data is loaded anew; nothing for those that do not, or always did. */
  awaitsSince: nullable(instant()),
  /** Taken away; its ledger stays. */
  deletedAt: nullable(instant()),
});
export type BurstRow = Omit<RowOf<typeof bursts>, 'refreshedOn'>;

export const runs = defineModel('runs', {
  id: serial(),
  burstName: refersTo(text(), 'bursts', 'burst'),
  occurrence: text(),
  state: oneOf<RunStatus>('held', 'waiting', 'running', 'paused', 'done', 'partly', 'failed', 'stopped'),
  /** What is being done, in words. */
  phase: filled(text()),
  definition: json<BurstDefinition>(),
  editionNumber: integer(),
  /** Dataset -> revision that this run reads, whatever is loaded meanwhile. */
  revisions: json<Record<string, number>>(),
  /** Version of the prepared workbook that it fills, where it fills one. */
  templateVersion: nullable(integer()),
  /** Version of the recipient list; nothing in runs from before lists were bound. */
  listVersion: nullable(integer()),
  senderId: refersTo(text(), 'people', 'sender'),
  stopAsked: filled(boolean()),
  pauseAsked: filled(boolean()),
  /** Every copy goes to the sender, and nobody counts as having theirs. */
  isTest: filled(boolean()),
  cause: filled(oneOf<RunCause>('hand', 'schedule', 'refresh')),
  /** Address of the second person who let it go. */
  releasedBy: nullable(text()),
  rowsRead: filled(bigint()),
  error: nullable(text()),
  createdAt: instant(),
  /** What days in words count from; nothing in runs from before that was kept. */
  asOf: nullable(instant()),
  startedAt: nullable(instant()),
  finishedAt: nullable(instant()),
  /** Until when its files lie ready; nothing where they are not kept. */
  keptUntil: nullable(instant()),
});
export type RunRow = RowOf<typeof runs>;

/** Times at which a burst was due and nothing ran that could start it. */
export const missedStarts = defineModel('missed_starts', {
  burstName: key(refersTo(text(), 'bursts', 'burst')),
  at: key(instant()),
  outcome: oneOf<MissedOutcome>('started late', 'skipped', 'covered'),
  period: nullable(text()),
  decidedAt: instant(),
});

/** Who wants no more copies of a burst. */
export const unsubscribed = defineModel('unsubscribed', {
  burstName: key(refersTo(text(), 'bursts', 'burst')),
  address: key(text()),
  at: instant(),
});
