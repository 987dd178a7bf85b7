/** Where the grid of a drawn page lies in its frame; pixels. */
export interface DrawnSize {
  /** Of the whole page. */
  readonly height: number;
  readonly left: number;
  readonly top: number;
  readonly width: number;
  readonly gap: number;
  readonly rowHeight: number;
}
