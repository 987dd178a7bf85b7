import type { LimitWords } from '../access/index.ts';
import type { BoardFrame, BoardTheme } from '../board/index.ts';
import type { FormatOptions } from '../format/index.ts';
import type { PlacementLook } from '../placement/index.ts';
import type { Figure, FigureResult } from '../report/index.ts';

/** A parameter of a page, and what it is set to. */
export interface ShownParameter {
  readonly name: string;
  readonly label: string;
  readonly type: string;
  readonly isMany: boolean;
  readonly isPeriod: boolean;
  readonly isRequired: boolean;
  /** The reader cannot change it. */
  readonly isFixed: boolean;
  /** Values can be offered. */
  readonly hasValues: boolean;
  readonly isDefault?: boolean;
  readonly texts?: readonly string[];
  readonly words?: string;
  readonly span?: { readonly from: string; readonly to: string };
}

/** A dataset behind a page: how old it is and what limits it. `At`: an instant, a `Date` before it is sent. */
export interface ViewedDataset<At = string> {
  readonly dataset: string;
  readonly revision: number;
  readonly loadedAt: At;
  readonly isLive?: boolean;
  readonly staleSince?: At;
  readonly staleReason?: string;
  readonly limits: readonly LimitWords[];
  readonly masks: readonly { readonly name: string; readonly words: string }[];
}

/** A figure as it is drawn; what filters it stays with the service. On a board it says where it comes from. */
export type ViewedFigure = WithoutFilter<Figure> & {
  readonly from?: { readonly report: string; readonly page: string; readonly figure: string };
  /** What the board limits it to. */
  readonly note?: string;
};

/** Of each kind of figure. */
type WithoutFilter<One> = One extends unknown ? Omit<One, 'where'> : never;

/** What the service answers for one page of a report, or for a board. */
export interface ViewResponse<At = string> {
  readonly report?: { readonly name: string; readonly title: string; readonly edition: number };
  readonly board?: { readonly name: string; readonly version: number };
  readonly title: string;
  readonly pages: readonly { readonly name: string; readonly title: string }[];
  readonly page: {
    readonly name: string;
    readonly title: string;
    readonly figures: readonly ViewedFigure[];
    /** Of a board: figures of hosts' own. */
    readonly frames?: readonly BoardFrame[];
    /** The order of figures where there is little room. */
    readonly narrow?: readonly string[];
  };
  readonly theme?: BoardTheme;
  /** What the placement sets that it is shown in. */
  readonly look?: PlacementLook;
  readonly parameters: readonly ShownParameter[];
  readonly datasets: readonly ViewedDataset<At>[];
  /** The reader's own limits as CQL2 text, to be carried elsewhere. */
  readonly own?: string;
  readonly mayExport?: boolean;
  /** Whoever looks is nobody in particular, by a public link: nothing is filtered with words of their own. */
  readonly isPublic?: true;
  readonly viewer: string;
  readonly taste: FormatOptions;
  readonly results: Readonly<Record<string, FigureResult>>;
}
