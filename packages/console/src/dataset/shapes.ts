import type { DatasetColumn } from '@underbell/core/dataset';

export interface ShownRevision {
  readonly number: number;
  readonly rows: number;
  readonly state: string;
  readonly error: string | null;
  readonly startedAt: string;
  readonly finishedAt: string | null;
  readonly cause: string;
  readonly startedBy: string;
  readonly impact?: readonly { user: string; what: string }[];
  readonly isCurrent: boolean;
}

/** A dataset as its page shows it. */
export interface ShownDataset {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly kind: 'snapshot' | 'live';
  readonly keepSeconds?: number;
  readonly source: string | null;
  readonly columns: readonly DatasetColumn[];
  readonly schedule: { rule: string; start: string; timeZone: string; words: string } | null;
  readonly nextRefreshAt: string | null;
  readonly hasHook: boolean;
  readonly staleSince?: string;
  readonly staleReason?: string;
  readonly revisions: readonly ShownRevision[];
}

/** What stands in a column. */
export interface ShownProfile {
  readonly name: string;
  readonly rows: number;
  readonly missing: number;
  readonly distinct: number;
  readonly smallest: string | null;
  readonly largest: string | null;
  readonly frequent: readonly { value: string; rows: number }[];
}
