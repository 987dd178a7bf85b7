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
