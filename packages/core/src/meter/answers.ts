import type { CostState, CountedCosts } from './costLimit.ts';

/** Costs added up under one name, as API, console and command line say them. */
export interface CostSum {
  readonly name: string;
  readonly times: number;
  /** Rows that databases answered. */
  readonly rows: number;
  readonly queryMs: number;
  readonly renderMs: number;
  /** Of this service, computing rather than waiting. */
  readonly cpuMs: number;
  readonly bytes: number;
  /** How many of the questions were answered from the cache; none where nothing was asked. */
  readonly hitShare: number | null;
}

/** A folder's limit as it stands. */
export interface ShownCostLimit extends CountedCosts {
  readonly state: CostState;
  readonly words: string;
}
