import { readCell, type DatasetColumn, type Value } from '../dataset/index.ts';
import { compilePredicate, type TypedNode } from '../filter/index.ts';
import { Refusal } from '../refusal/index.ts';

export interface RouterOptions {
  /** The prefix fields, in order; every column that a condition reads is among them. */
  readonly columns: readonly DatasetColumn[];
  /** The column whose value cuts the copies apart. */
  readonly key: DatasetColumn;
  /** Each cut's value and its whole effective filter. */
  readonly cuts: readonly { readonly value: Value; readonly where: TypedNode }[];
}

/**
 * Tells where a row goes, and checks it once more in memory against that recipient's whole filter.
 *
 * The check shares nothing with the compiled SQL but the checked tree: were the SQL wrong, the row would be found here.
 *
 * @returns the number of the cut, or -1 for a value that nobody on the list has
 * @throws {Refusal} `FOREIGN_ROW`: the row does not belong to the recipient it would have gone to
 */
export function createRouter(options: RouterOptions): (fields: (string | null)[]) => number {
  const { columns, key, cuts } = options;
  const index = new Map(columns.map((column, i) => [column.name, i]));
  const keyIndex = index.get(key.name)!;
  const byValue = new Map(cuts.map((cut, i) => [cut.value, i]));
  const tests = cuts.map((cut) => compilePredicate(cut.where, (name) => index.get(name)!));
  return (fields) => {
    const row = columns.map((column, i) => readCell(fields[i] ?? null, column));
    const value = row[keyIndex];
    const cut = value === null || value === undefined ? undefined : byValue.get(value);
    if (cut === undefined) return -1;
    if (tests[cut]!(row)) return cut;
    throw new Refusal(
      'FOREIGN_ROW',
      `a row did not pass the second check for \`${String(cuts[cut]!.value)}\`; nothing more is sent`,
    );
  };
}
