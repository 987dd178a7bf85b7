/** A board in a list of them. `At`: an instant, a `Date` before it is sent. */
export interface ListedBoard<At = string> {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly figures: number;
  readonly changedAt: At;
  readonly changedBy: string;
}
