import { gridColumns, type GridPlace } from '../report/index.ts';
import { overlaps } from './board.ts';

interface Placed {
  readonly name: string;
  readonly at: GridPlace;
}

const mostRows = 200;

/** A place pushed back within the grid. */
export function withinGrid({ column, row, width, height }: GridPlace): GridPlace {
  const wide = Math.min(Math.max(1, width), gridColumns);
  return {
    column: Math.min(Math.max(1, column), gridColumns - wide + 1),
    row: Math.min(Math.max(1, row), mostRows),
    width: wide,
    height: Math.min(Math.max(1, height), 40),
  };
}

/**
 * Moves or resizes one figure; others that it would lie on make way downwards, and nothing else moves.
 *
 * @returns all figures, none over another
 */
export function arrange<T extends Placed>(figures: readonly T[], name: string, to: GridPlace): T[] {
  const moved = figures.find((one) => one.name === name);
  if (!moved) return [...figures];
  const placed: T[] = [{ ...moved, at: withinGrid(to) }];
  const rest = figures
    .filter((one) => one !== moved)
    .toSorted((a, b) => a.at.row - b.at.row || a.at.column - b.at.column);
  for (const one of rest) {
    let { at } = one;
    for (
      let under = placed.find((other) => overlaps(other.at, at));
      under;
      under = placed.find((other) => overlaps(other.at, at))
    )
      at = { ...at, row: under.at.row + under.at.height };
    placed.push({ ...one, at });
  }
  return figures.map((one) => placed.find((other) => other.name === one.name)!);
}

/** The first free place of a size, from the top. */
export function freePlace(figures: readonly Placed[], width: number, height: number): GridPlace {
  for (let row = 1; row <= mostRows; row++)
    for (let column = 1; column + width - 1 <= gridColumns; column++) {
      const at = { column, row, width, height };
      if (!figures.some((one) => overlaps(one.at, at))) return at;
    }
  return { column: 1, row: mostRows, width, height };
}
