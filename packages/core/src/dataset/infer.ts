import type { ColumnType } from './columns.ts';
import { fitsType } from './values.ts';

const order: readonly ColumnType[] = ['boolean', 'integer', 'number', 'date', 'instant'];
/** `007` is an identifier, not the number seven. */
const leadingZero = /^[+-]?0\d/;

const [dot, plus, minus, zero, nine] = [46, 43, 45, 48, 57];

function mayFit(bare: string): readonly ColumnType[] {
  const first = bare.charCodeAt(0);
  if (Number.isNaN(first)) return order;
  if (first >= zero && first <= nine) return bare.charCodeAt(4) === minus ? order : ['integer', 'number'];
  if (first === dot || first === plus || first === minus) return ['integer', 'number'];
  return /^[tf]/i.test(bare) ? ['boolean'] : [];
}

const remembered = new Map<string, readonly ColumnType[]>();
const maxRemembered = 20_000;
const longestRemembered = 40;

/** The types that a cell fits, text aside. Most columns say the same things over and over, so answers are kept. */
export function fittingTypes(cell: string): readonly ColumnType[] {
  const known = remembered.get(cell);
  if (known) return known;
  const found = mayFit(cell.trim()).filter((type) => fitsType(cell, type));
  if (cell.length <= longestRemembered) {
    if (remembered.size >= maxRemembered) remembered.clear();
    remembered.set(cell, found);
  }
  return found;
}

/** Narrows down, cell by cell, which types every cell of a column fits; empty cells say nothing. */
export class TypeGuess {
  #candidates = [...order];
  #sawValue = false;

  /** @param fitting - the types that the cell fits */
  add(cell: string, fitting: readonly ColumnType[] = fittingTypes(cell)): void {
    if (cell === '') return;
    this.#sawValue = true;
    if (this.#candidates.length === 0) return;
    const isIdentifier = leadingZero.test(cell);
    if (!isIdentifier && this.#candidates.every((type) => fitting.includes(type))) return;
    this.#candidates = this.#candidates.filter(
      (type) => fitting.includes(type) && !(isIdentifier && (type === 'integer' || type === 'number')),
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
    const fitting = fittingTypes(cell);
    this.#guess.add(cell, fitting);
    if (this.#samples.length < shownCells) {
      const shown = cell.slice(0, shownLength);
      if (!this.#samples.includes(shown)) this.#samples.push(shown);
    }
    for (const type of order) {
      if (fitting.includes(type)) continue;
      const found = this.#misfits.get(type) ?? { count: 0, first: [] };
      this.#misfits.set(type, found);
      found.count++;
      if (found.first.length < shownCells) found.first.push({ row: this.#row, value: cell.slice(0, shownLength) });
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
