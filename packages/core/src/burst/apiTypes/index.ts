import type { CostState } from '../../usage/index.ts';
import type { BurstDefinition, MadeFormat } from '../definition.ts';
import type { PlanEntry, PlannedFile } from '../plan.ts';
import type { CutStrategy } from '../readStrategy.ts';

/** What is said of plans and runs by API, console and command line. `At`: an instant, a `Date` before it is sent. */
export interface RunCounts {
  readonly recipients: number;
  readonly planned: number;
  readonly skipped: number;
  readonly rendered: number;
  readonly sent: number;
  readonly failed: number;
  readonly inDoubt: number;
  /** Letters that came back after they had been taken. */
  readonly bounced: number;
}

/** `held`: waits for a second person to release it. */
export type RunStatus = 'held' | 'waiting' | 'running' | 'paused' | 'done' | 'partly' | 'failed' | 'stopped';
export type RunCause = 'hand' | 'schedule' | 'refresh';

export interface ShownRun<At = string> {
  readonly id: number;
  readonly burst: string;
  readonly period: string;
  readonly state: RunStatus;
  /** What is being done, in words. */
  readonly phase: string;
  readonly error: string | null;
  readonly edition: number;
  readonly rowsRead: number;
  readonly createdAt: At;
  readonly startedAt: At | null;
  readonly finishedAt: At | null;
  /** Until when its files lie ready; nothing where they are not kept. */
  readonly keptUntil: At | null;
  /** Every copy went to the sender. */
  readonly isTest: boolean;
  readonly cause: RunCause;
  /** It waits for a worker and none lives: when one was last heard of, or null. */
  readonly noWorkerSince?: At | null;
  /** Who may release it, where a second person must. */
  readonly release?: readonly string[];
  readonly releasedBy?: string | null;
  readonly counts: RunCounts;
}

export type DeliveryState = 'planned' | 'skipped' | 'rendered' | 'sending' | 'sent' | 'failed' | 'in doubt';

/** One line of a ledger. */
export interface LedgerEntry<At = string> {
  readonly recipient: string;
  readonly address: string;
  readonly rows: number;
  /** The limits of this one copy, in words. */
  readonly filter: string;
  readonly files: readonly {
    readonly name: string;
    readonly format: MadeFormat;
    readonly isInline?: true;
    readonly sizeBytes?: number;
    readonly sha256?: string;
  }[];
  /** `waiting`: made, and not taken yet by a mail host that asks to be asked again. */
  readonly state: DeliveryState | 'waiting';
  readonly reason: string | null;
  /** When it is offered again. */
  readonly nextTryAt?: At;
  readonly messageId: string | null;
  readonly changedAt: At;
  readonly repeat: number;
  readonly attempts: number;
  readonly destination: string;
  /** Where its files lie, at a destination that has places for them. */
  readonly places: readonly string[];
  /** Why the letter came back after it had been taken. */
  readonly bounce?: string;
  readonly bouncedAt?: At | null;
  /** Where its files went as links. */
  readonly link?: { readonly fetched: number; readonly isRecalled: boolean; readonly expiresAt: At };
}

export interface DeliveryLog<At = string> extends ShownRun<At> {
  readonly entries: readonly LedgerEntry<At>[];
}

/** One recipient in a plan, beside the run before. */
export interface ShownPlanEntry extends Omit<PlanEntry, 'cut' | 'files'> {
  /** With about how many bytes each will have, by what the last run made. */
  readonly files: readonly (PlannedFile & { readonly bytes?: number })[];
  /** The limits of this one copy, in words. */
  readonly filter: string;
  readonly rowsBefore?: number;
  readonly mark?: 'new' | 'much bigger' | 'much smaller';
  readonly bytes?: number;
}

export interface ShownPlan<At = string> {
  readonly burst: string;
  readonly title: string;
  readonly period: { readonly name: string; readonly words: string };
  readonly sender: string;
  readonly edition: number;
  readonly data: readonly { readonly dataset: string; readonly revision: number; readonly loadedAt: At }[];
  /** What every parameter of the report is set to, and by what: the list, the period, the burst, or the report's default. */
  readonly parameters: readonly {
    readonly parameter: string;
    readonly label: string;
    /** The list column it comes from, or its value in words; nothing where it filters nothing. */
    readonly value?: string;
    readonly from: 'list' | 'period' | 'burst' | 'default' | 'nothing';
  }[];
  /** Rows that its list was loaded without. */
  readonly skippedRows?: { readonly list: string; readonly rows: number };
  /** Of the next times of its schedule, those about a period that an earlier one is about: they reach only who has none. */
  readonly repeatedTimes?: { readonly repeated: number; readonly of: number };
  /** Limits that are the same for all copies. */
  readonly limits: readonly { readonly origin: string; readonly name: string; readonly words: string }[];
  /** Characters of the rows that copies are cut from which the encoding of their CSV does not have: a copy with one stops the run. */
  readonly unwritable?: {
    readonly encoding: string;
    readonly characters: readonly string[];
    readonly columns: readonly string[];
  };
  /** How rows and figures are read, and why so. */
  readonly strategy: CutStrategy;
  readonly cut: {
    readonly dataset: string;
    readonly by: readonly { readonly parameter: string; readonly listColumn: string }[];
    readonly where: Readonly<Record<string, string>>;
  };
  /** Whose row rules limit the copies: the sender's alone, or each recipient's as well. */
  readonly asSeenBy: 'sender' | 'recipient';
  readonly release: readonly string[];
  readonly counts: Omit<RunCounts, 'rendered' | 'inDoubt' | 'bounced'> & {
    readonly rows: number;
    readonly files: number;
  };
  readonly costs: {
    readonly rowsRead: number;
    /** Queries and making, by what copies cost so far; milliseconds. */
    readonly computingMs: number;
    readonly bytes: number;
    /** Formats of which no copy was ever made here: they are not in the sums. */
    readonly unknown: readonly MadeFormat[];
    /** Limits of costs around the report, as they will stand after the run. */
    readonly limits: readonly { readonly folder: string; readonly words: string; readonly state: CostState }[];
  };
  readonly destination: {
    readonly name: string;
    readonly kind: string;
    readonly state: 'ready' | 'failing' | 'paused';
    readonly reason: string | null;
    readonly limits: readonly string[];
    /** How long its limits make the copies take at least. */
    readonly leastMs: number;
    readonly folder?: string;
    readonly isAnnounced?: boolean;
    readonly showsPage?: boolean;
  };
  /** The prepared workbook that is filled. */
  readonly template?: {
    readonly name: string;
    readonly version: number;
    readonly filled: readonly string[];
    readonly computed: readonly string[];
    readonly left: readonly string[];
    readonly unused: readonly string[];
    readonly warnings: readonly string[];
  };
  /** The run before that sent something; nothing when there was none. */
  readonly before?: {
    readonly run: number;
    readonly period: string;
    readonly copies: number;
    /** About how long this run takes, by how long that one did. */
    readonly expectedMs?: number;
  };
  /** Recipients of the run before who are not in the plan at all. */
  readonly gone: readonly string[];
  /** Those whose last copy came back. */
  readonly bounced: readonly { readonly recipient: string; readonly reason: string }[];
  readonly bytes: number;
  readonly entries: readonly ShownPlanEntry[];
}

export type { CopyFormat } from '../definition.ts';
export { periodUnits, type BurstPeriod, type PeriodUnit } from '../periodUnits.ts';

/** A time at which a burst runs by itself. `At`: an instant, a `Date` before it is sent. */
export interface BurstTime<At = string> {
  readonly at: At;
  readonly words: string;
  readonly period?: string;
  readonly periodWords?: string;
  /** Whoever has this period already gets nothing at this time. */
  readonly isRepeated?: boolean;
}

/** What was done about a start that was missed; the last: a later one was about the same rows. */
export type MissedOutcome = 'started late' | 'skipped' | 'covered';

export const missedWords: Readonly<Record<MissedOutcome, string>> = {
  'started late': 'started late',
  skipped: 'skipped by the schedule',
  covered: 'covered by a later run',
};

/** A time at which a burst did not start although it was due. `At`: an instant, a `Date` before it is sent. */
export interface MissedStart<At = string> {
  readonly at: At;
  readonly words: string;
  readonly period?: string;
  readonly outcome: MissedOutcome;
}

/** When a burst runs by itself, and when it should have. */
export interface BurstTimes<At = string> {
  readonly words: string;
  readonly times: readonly BurstTime<At>[];
  /** The latest, newest first. */
  readonly missed?: readonly MissedStart<At>[];
}

/** A definition that is fine. */
export interface CheckedBurst<At = string> extends BurstTimes<At> {
  readonly name: string;
  readonly isNew: boolean;
  readonly strategy: { readonly kind: string; readonly because: string };
}

/** A burst with its last run. */
export interface ShownBurst<At = string> {
  readonly name: string;
  readonly definition: BurstDefinition;
  readonly nextRunAt: At | null;
  readonly lastRun: ShownRun<At> | null;
}

/** Somebody who wants no more copies. */
export interface Unsubscribed<At = string> {
  readonly address: string;
  readonly at: At;
}

/** A copy that was sent to somebody, as they see it. `At`: an instant, a `Date` before it is sent. */
export interface OwnCopy<At = string> {
  readonly title: string;
  readonly period: string;
  readonly sentAt: At;
  /** Names of files, each with its link where that still holds. */
  readonly files: readonly { readonly name: string; readonly link?: string }[];
}
