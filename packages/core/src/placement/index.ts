import type { PlaceKind, RecordField } from '../access/index.ts';
import type { Snippets } from './snippets.ts';
import type { PlacementLook } from './appearance.ts';
import type { ColumnSwaps } from './columnSubstitutions.ts';

export { figuresFor, pageFor } from './layout.ts';
export { hostLines, type Snippets } from './snippets.ts';
export { placementThemes, type PlacementLook, type PlacementTheme } from './appearance.ts';
export { checkSwaps, masksOf, seemsPersonal, type ColumnSwaps } from './columnSubstitutions.ts';

/** What a placement shows: a report, one of its pages, one figure of a page, or a board. */
export interface PlacedThing {
  readonly report?: string;
  /** This page alone. */
  readonly page?: string;
  /** This figure of the page alone. */
  readonly figure?: string;
  /** Of a whole report: the page that it begins with. */
  readonly firstPage?: string;
  /** Stays with this edition; follows the current one without. */
  readonly edition?: number;
  readonly board?: string;
}

/** What one reads of what a placement shows. */
export function placementLabel({ report, page, figure, board }: PlacedThing): string {
  if (board !== undefined) return `board ${board}`;
  if (figure !== undefined) return `figure ${figure} of ${report}/${page}`;
  return page === undefined ? `report ${report}` : `page ${page} of ${report}`;
}

/** How a placement is used, for those who may change it. `At`: an instant, a `Date` before it is sent. */
export interface PlacementUse<At = string> {
  readonly lastSeenAt: At | null;
  /** Of the last 30 days. */
  readonly views: number;
  /** People and programs, of the last 30 days. */
  readonly viewers: number;
  /** Pages of hosts that showed it, the latest first. */
  readonly hosts: readonly { readonly origin: string; readonly seenAt: At }[];
  /** What kept visitors from seeing it, of the last day: code -> how often. */
  readonly problems: Readonly<Record<string, number>>;
  /** When the oldest of the data behind it was loaded. */
  readonly dataAt: At | null;
}

/** A placement, with what a page's author pastes. */
export interface ShownPlacement<At = string> extends PlacedThing {
  readonly name: string;
  readonly kind: PlaceKind;
  readonly title: string;
  /** CQL2 text by dataset. */
  readonly where: Readonly<Record<string, string>>;
  readonly parameters: Readonly<Record<string, string>>;
  /** Origins whose pages may frame it. */
  readonly origins: readonly string[];
  readonly look: PlacementLook;
  readonly swaps: ColumnSwaps;
  /** Nobody sees it since then, until it is shown again. */
  readonly suspendedAt?: At;
  /** Whose it is: by address; nothing where that is not known. */
  readonly madeBy?: string;
  readonly madeAt?: At;
  readonly link: string;
  /** For hosts with a little code: the element, with its script and where the host hands out access tokens. */
  readonly snippet: string;
  /** For hosts that take nothing but a frame. */
  readonly frame: string;
  /** What its filter needs of the host's record, and what a host pastes that has one. */
  readonly beside?: { readonly fields: readonly RecordField[]; readonly lines: Snippets };
  readonly use?: PlacementUse<At>;
}

/** A public link ends after so many days at most. */
export const publicLinkDays = 366;

/** A link by which everybody who knows it sees a placement, without signing in. */
export interface PublicLink<At = string> {
  readonly id: string;
  readonly placement: string;
  readonly url: string;
  /** Why it was made. */
  readonly note: string;
  readonly until: At;
  readonly madeBy: string | null;
  readonly madeAt: At;
  readonly views: number;
  readonly lastViewedAt: At | null;
  readonly endedAt?: At;
  readonly endedBy?: string;
  /** Why it shows nothing just now, though it has not ended. */
  readonly closed?: string;
}

/** The public links of a placement. */
export interface PublicLinks<At = string> {
  readonly links: readonly PublicLink<At>[];
  /** What keeps the placement from being public. */
  readonly refused?: { readonly message: string; readonly hint: string };
}
