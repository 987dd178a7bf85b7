import type { ColumnType } from './columns.ts';
import { fitsType } from './values.ts';

const order: readonly ColumnType[] = ['boolean', 'integer', 'number', 'date', 'instant'];
/** `007` is an identifier, not the number seven. */
const leadingZero = /^[+-]?0\d/;

/** Narrows down, cell by cell, which types every cell of a column fits; empty cells say nothing. */
export class TypeGuess {
  #candidates = [...order];
  #sawValue = false;

  add(cell: string): void {
    if (cell === '') return;
    this.#sawValue = true;
    if (this.#candidates.length === 0) return;
    const isIdentifier = leadingZero.test(cell);
    this.#candidates = this.#candidates.filter(
      (type) => fitsType(cell, type) && !(isIdentifier && (type === 'integer' || type === 'number')),
    );
  }

  /** The narrowest type that fits every cell seen; text when there is none. */
  get type(): ColumnType {
    return this.#sawValue ? (this.#candidates[0] ?? 'text') : 'text';
  }
}

/** How many cells of a column a type does not fit, and the first of them. */
export interface Misfits {
  readonly type: ColumnType;
  readonly count: number;
  /** Rows count from 1, without the heading. */
  readonly first: readonly { readonly row: number; readonly value: string }[];
}

export interface ExaminedColumn {
  readonly heading: string;
  readonly type: ColumnType;
  readonly missing: number;
  readonly samples: readonly string[];
  /** For every type that some cell does not fit. */
  readonly misfits: readonly Misfits[];
}

const shownCells = 5;
const shownLength = 80;

/** Looks at every cell of a column before anything is stored: which types fit, what some cells look like, which do not fit. */
export class ColumnExam {
  readonly #heading: string;
  readonly #guess = new TypeGuess();
  readonly #samples: string[] = [];
  readonly #misfits = new Map<ColumnType, { count: number; first: { row: number; value: string }[] }>();
  #missing = 0;
  #row = 0;

  constructor(heading: string) {
    this.#heading = heading;
  }

  add(cell: string): void {
    this.#row++;
    if (cell === '') {
      this.#missing++;
      return;
    }
    this.#guess.add(cell);
    const shown = cell.slice(0, shownLength);
    if (this.#samples.length < shownCells && !this.#samples.includes(shown)) this.#samples.push(shown);
    for (const type of order) {
      if (fitsType(cell, type)) continue;
      const found = this.#misfits.get(type) ?? { count: 0, first: [] };
      this.#misfits.set(type, found);
      found.count++;
      if (found.first.length < shownCells) found.first.push({ row: this.#row, value: shown });
    }
  }

  get result(): ExaminedColumn {
    return {
      heading: this.#heading,
      type: this.#guess.type,
      missing: this.#missing,
      samples: this.#samples,
      misfits: [...this.#misfits].map(([type, found]) => ({ type, ...found })),
    };
  }
}
