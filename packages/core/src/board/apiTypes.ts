/** A board in a list of them. `At`: an instant, a `Date` before it is sent. */
export interface ListedBoard<At = string> {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly figures: number;
  readonly changedAt: At;
  readonly changedBy: string;
}

/** A report with its pages and figures, as far as somebody may put them on a board, in a place or onto a screen. */
export interface OfferedReport {
  readonly report: string;
  readonly title: string;
  readonly datasets: readonly string[];
  readonly parameters: readonly { readonly name: string; readonly label: string }[];
  readonly pages: readonly {
    readonly name: string;
    readonly title: string;
    readonly figures: readonly {
      readonly name: string;
      readonly title: string;
      readonly kind: string;
      readonly width: number;
      readonly height: number;
    }[];
  }[];
}
