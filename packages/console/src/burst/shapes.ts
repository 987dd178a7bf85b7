import type { BurstPeriod } from '@underbell/core/burst/answers';
import type { ShownRun } from '@underbell/core/burst/answers';

/** What the API answers about a burst. */
export interface ShownBurst {
  readonly name: string;
  readonly definition: {
    readonly title: string;
    readonly report: string;
    readonly list: string;
    readonly formats: readonly string[];
    readonly period?: BurstPeriod;
    readonly schedule?: object;
    readonly afterRefresh?: string;
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

/** When a burst runs by itself. */
export interface Times {
  readonly words: string;
  readonly times: readonly {
    readonly at: string;
    readonly words: string;
    readonly periodWords?: string;
    readonly isRepeated?: boolean;
  }[];
}

export const isActive = (run: ShownRun) => run.state === 'waiting' || run.state === 'running';
