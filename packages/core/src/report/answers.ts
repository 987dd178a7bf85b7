import type { ReportDefinition } from './definition.ts';

/** A report in a list of them. `At`: an instant, a `Date` before it is sent. */
export interface ListedReport<At = string> {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly edition: number;
  readonly publishedAt: At;
  readonly publishedBy: string;
}

export interface ShownEdition<At = string> {
  readonly number: number;
  readonly notes: string;
  readonly publishedBy: string;
  readonly publishedAt: At;
  readonly retiredAt: At | null;
}

/** A report with all its editions, the newest first. */
export interface ShownReport<At = string> {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  /** The current one. */
  readonly edition: number;
  readonly definition: ReportDefinition;
  readonly editions: readonly ShownEdition<At>[];
}
