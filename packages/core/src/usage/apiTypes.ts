import type { CostState, CountedCosts } from './usageLimit.ts';

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

/** How long the stretches are that costs are drawn by. */
export const usageIntervals = ['hour', 'day', 'month'] as const;
export type CostStretch = (typeof usageIntervals)[number];
/** By what the costs of a stretch are told apart. */
export const costSplits = ['kind', 'report', 'burst', 'board', 'place', 'dataset', 'person', 'format'] as const;
export type CostSplit = (typeof costSplits)[number];
/** What is not among the dearest. */
export const costOthers = 'others';

/** What one name took in one stretch. */
export interface StretchSum {
  readonly times: number;
  /** Queries and making. */
  readonly seconds: number;
  readonly bytes: number;
}

/** Costs along time: every stretch is there, also one in which nothing happened. */
export interface CostsOverTime {
  readonly per: CostStretch;
  readonly by: CostSplit;
  /** The dearest first, and `others` at the end. */
  readonly names: readonly string[];
  readonly stretches: readonly {
    /** `2026-11-28 13:00`, `2026-11-28` or `2026-11`, in the installation's time zone. */
    readonly at: string;
    readonly sums: Readonly<Record<string, StretchSum>>;
  }[];
}
