/** A process of the installation, as it says of itself. `At`: an instant, a `Date` before it is sent. */
export interface ShownProcess<At = string> {
  readonly id: string;
  readonly host: string;
  /** Its number at its host. */
  readonly process: number;
  readonly role: 'web' | 'worker' | 'all';
  /** How many connections to the database it opens at most. */
  readonly connections: number;
  /** How far its clock is ahead of the database's; milliseconds. */
  readonly clockOffMs: number;
  readonly startedAt: At;
  readonly seenAt: At;
  readonly isRunning: boolean;
}

export interface ShownProcesses<At = string> {
  /** How many connections the database gives to all processes together. */
  readonly connectionLimit: number;
  readonly processes: readonly ShownProcess<At>[];
}

/** So many jobs are listed at once. */
export const jobsPerPage = 100;

/** A job that failed, or waits for its next try after a failure. */
export interface FailedJob<At = string> {
  readonly id: number;
  readonly kind: string;
  readonly state: 'waiting' | 'failed';
  /** What it is about. */
  readonly payload: Readonly<Record<string, unknown>>;
  readonly attempts: number;
  readonly error: string | null;
  readonly createdAt: At;
  /** When it is tried again. */
  readonly nextTryAt: At | null;
}
