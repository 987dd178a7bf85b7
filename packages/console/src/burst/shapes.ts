/** What the API answers about runs and plans. */
export interface RunCounts {
  readonly recipients: number;
  readonly planned: number;
  readonly skipped: number;
  readonly rendered: number;
  readonly sent: number;
  readonly failed: number;
  readonly inDoubt: number;
}

export interface ShownRun {
  readonly id: number;
  readonly burst: string;
  readonly period: string;
  readonly state: 'waiting' | 'running' | 'paused' | 'done' | 'partly' | 'failed' | 'stopped';
  readonly phase: string;
  readonly error: string | null;
  readonly rowsRead: number;
  readonly createdAt: string;
  readonly startedAt: string | null;
  readonly finishedAt: string | null;
  readonly counts: RunCounts;
  readonly keptUntil: string | null;
  /** Every copy went to the sender. */
  readonly isTest: boolean;
  readonly cause: 'hand' | 'schedule';
}

export interface LedgerEntry {
  readonly recipient: string;
  readonly address: string;
  readonly rows: number;
  readonly files: readonly {
    readonly name: string;
    readonly format: string;
    readonly sizeBytes?: number;
    readonly sha256?: string;
  }[];
  readonly state: string;
  readonly reason: string | null;
  readonly changedAt: string;
  /** Where its files lie, at a destination that has places for them. */
  readonly places: readonly string[];
  /** Where its files went as links. */
  readonly link?: { readonly fetched: number; readonly isRecalled: boolean; readonly expiresAt: string };
}

export interface Ledger extends ShownRun {
  readonly entries: readonly LedgerEntry[];
}

export interface ShownBurst {
  readonly name: string;
  readonly definition: {
    readonly title: string;
    readonly report: string;
    readonly list: string;
    readonly formats: readonly string[];
    readonly period?: { readonly unit: 'month' | 'day' };
    readonly schedule?: object;
    readonly destination: {
      readonly kind: string;
      readonly to?: string;
      readonly send?: 'files' | 'links';
      readonly announce?: object;
    };
    readonly template?: string;
  };
  readonly lastRun: ShownRun | null;
}

export interface PlanEntry {
  readonly recipient: string;
  readonly address: string;
  readonly rows: number;
  readonly files: readonly { readonly name: string; readonly format: string }[];
  readonly action: 'send' | 'skip' | 'refuse';
  readonly reason?: string;
  readonly filter: string;
  /** Of the copy in the run before. */
  readonly rowsBefore?: number;
  readonly mark?: 'new' | 'much bigger' | 'much smaller';
}

export interface Plan {
  readonly burst: string;
  readonly period: { readonly name: string; readonly words: string };
  readonly sender: string;
  readonly limits: readonly { readonly origin: string; readonly name: string; readonly words: string }[];
  readonly counts: RunCounts & { readonly rows: number; readonly files: number };
  readonly entries: readonly PlanEntry[];
  /** The run that the plan is set beside; nothing when there was none. */
  readonly before?: {
    readonly run: number;
    readonly period: string;
    readonly copies: number;
    readonly expectedMs?: number;
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
  };
  /** The prepared workbook that is filled. */
  readonly template?: {
    readonly name: string;
    readonly version: number;
    readonly filled: readonly string[];
    readonly computed: readonly string[];
    readonly left: readonly string[];
    readonly warnings: readonly string[];
  };
  readonly gone: readonly string[];
  readonly bytes: number;
}

/** When a burst runs by itself. */
export interface Times {
  readonly words: string;
  readonly times: readonly { readonly at: string; readonly words: string; readonly periodWords?: string }[];
}

export const isActive = (run: ShownRun) => run.state === 'waiting' || run.state === 'running';
