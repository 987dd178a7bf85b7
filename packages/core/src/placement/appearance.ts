import type { ChartPart } from '../report/index.ts';

/** How a placement looks to everybody who sees it. */
export interface PlacementLook {
  /** Without the line of title, age and buttons. */
  readonly hideBar?: boolean;
  /** Without the list of pages; links between them still lead on. */
  readonly hidePages?: boolean;
  /** The colours of the page around it, or light or dark whatever that is. */
  readonly theme?: PlacementTheme;
  /** So many pixels it may become high; it scrolls inside then. */
  readonly maxHeight?: number;
  /** Parts that its charts leave out. */
  readonly hide?: readonly ChartPart[];
  /** Of a single page: these figures alone, in this order. */
  readonly figures?: readonly string[];
  /** All figures one under the other, however wide the place is. */
  readonly isStacked?: boolean;
}

export const placementThemes = ['host', 'light', 'dark'] as const;
export type PlacementTheme = (typeof placementThemes)[number];
