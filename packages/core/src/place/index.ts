import type { PlaceKind } from '../access/index.ts';

/** A placement, with what a page's author pastes. */
export interface ShownPlacement {
  readonly name: string;
  readonly kind: PlaceKind;
  readonly title: string;
  readonly report: string;
  readonly page: string | null;
  /** CQL2 text by dataset. */
  readonly where: Readonly<Record<string, string>>;
  readonly parameters: Readonly<Record<string, string>>;
  /** Stays with this edition; follows the current one without. */
  readonly edition?: number;
  /** Origins whose pages may frame it. */
  readonly origins: readonly string[];
  readonly link: string;
  readonly snippet: string;
}
