import type { ReportDefinition } from './definition.ts';
import type { EditionChange } from './editions.ts';

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

/** Something that would be worse off without a thing, or with a changed one. */
export interface ThingUser {
  readonly user: string;
  readonly what: string;
}

/** A definition that is fine, and what publishing it would break. */
export interface CheckedReport {
  readonly name: string;
  readonly pages: number;
  readonly figures: number;
  readonly breaks?: readonly ThingUser[];
}

/** What differs between two editions, and who would notice. */
export interface ComparedEditions {
  readonly from: number;
  readonly to: number;
  readonly changes: readonly EditionChange[];
  readonly breaks: readonly ThingUser[];
  /** Pages of the later one. */
  readonly pages: readonly { readonly name: string; readonly title: string }[];
}
