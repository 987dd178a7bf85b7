/** Stretches of time that runs are about; weeks are those of ISO 8601. With `run`, every run is one of its own. */
export const periodUnits = ['day', 'week', 'month', 'quarter', 'year', 'run'] as const;
export type PeriodUnit = (typeof periodUnits)[number];

export interface BurstPeriod {
  readonly unit: PeriodUnit;
  /** Left out where the report does not filter by it. */
  readonly parameter?: string;
}
