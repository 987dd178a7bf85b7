/** What of a figure its place on a wall hangs on. */
interface Placed {
  readonly at: { readonly column: number; readonly row: number; readonly width: number; readonly height: number };
}

/** Figures that are shown at once, each with its place; rows count from 1. */
export interface ScreenPart<F> {
  readonly rows: number;
  readonly figures: readonly { readonly figure: F; readonly at: Placed['at'] }[];
}

const pageColumns = 12;

/** On a narrower wall figures stand in their order, half as wide or wide. */
function reflowed<F extends Placed>(figures: readonly F[], columns: number): { figure: F; at: Placed['at'] }[] {
  let row = 1;
  let column = 1;
  let tallest = 0;
  return figures.map((figure) => {
    const width = figure.at.width <= pageColumns / 3 ? columns / 2 : columns;
    if (column + width - 1 > columns) {
      row += tallest;
      column = 1;
      tallest = 0;
    }
    const at = { column, row, width, height: figure.at.height };
    column += width;
    tallest = Math.max(tallest, figure.at.height);
    return { figure, at };
  });
}

/**
 * A page laid out for a wall: as many rows at once as are read from five metres, the rest on further sheets. No figure is
 * cut in two; one that is taller than a sheet has one to itself.
 *
 * @param wall.columns - 12, or fewer for one that stands upright
 * @param wall.rows - of the grid, at once
 */
export function screenParts<F extends Placed>(
  figures: readonly F[],
  wall: { readonly columns: number; readonly rows: number },
): ScreenPart<F>[] {
  const inOrder = figures.toSorted((a, b) => a.at.row - b.at.row || a.at.column - b.at.column);
  const placed =
    wall.columns === pageColumns
      ? inOrder.map((figure) => ({ figure, at: figure.at }))
      : reflowed(inOrder, wall.columns);
  const sheets: { first: number; last: number; figures: { figure: F; at: Placed['at'] }[] }[] = [];
  for (const one of placed) {
    const end = one.at.row + one.at.height - 1;
    const sheet = sheets.at(-1);
    const fits = sheet && Math.max(end, sheet.last) - sheet.first + 1 <= wall.rows;
    if (sheet && fits) {
      sheet.figures.push(one);
      sheet.last = Math.max(sheet.last, end);
    } else sheets.push({ first: one.at.row, last: end, figures: [one] });
  }
  return sheets.map(({ first, last, figures: on }) => {
    const rows = Math.min(wall.rows, last - first + 1);
    return {
      rows,
      figures: on.map(({ figure, at }) => {
        const row = at.row - first + 1;
        return { figure, at: { ...at, row, height: Math.min(at.height, rows - row + 1) } };
      }),
    };
  });
}
