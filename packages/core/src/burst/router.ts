import { readCell, type DatasetColumn, type Value } from '../dataset/index.ts';
import { compilePredicate, type TypedNode } from '../filter/index.ts';
import { Refusal } from '../refusal/index.ts';
import { tupleKey } from './readStrategy.ts';

export interface RouterOptions {
  /** The prefix fields, in order; every column that a condition reads is among them. */
  readonly columns: readonly DatasetColumn[];
  /** The columns whose values cut the copies apart; none where all rows belong to every cut. */
  readonly keys: readonly DatasetColumn[];
  /** Each cut's combinations of those values, what it is called, and its whole effective filter. */
  readonly cuts: readonly {
    readonly name: string;
    readonly tuples: readonly (readonly Value[])[];
    readonly where: TypedNode;
  }[];
}

const nowhere: readonly number[] = [];

/**
 * Tells where a row goes, and checks it once more in memory against each recipient's whole filter.
 *
 * The check shares nothing with the compiled SQL but the checked tree: were the SQL wrong, the row would be found here.
 *
 * @returns the numbers of the cuts, none for values that nobody on the list has; the same array for the same prefix
 * @throws {Refusal} `FOREIGN_ROW`: the row does not belong to the recipient it would have gone to
 */
export function createRouter(options: RouterOptions): (fields: (string | null)[]) => readonly number[] {
  const { columns, keys, cuts } = options;
  const index = new Map(columns.map((column, i) => [column.name, i]));
  const keyIndexes = keys.map((one) => index.get(one.name)!);
  const byTuple = new Map<string, number[]>();
  for (const [i, { tuples }] of cuts.entries())
    for (const tuple of tuples) {
      const key = tupleKey(tuple);
      const known = byTuple.get(key);
      if (known === undefined) byTuple.set(key, [i]);
      else if (known.at(-1) !== i) known.push(i);
    }
  const tests = cuts.map((cut) => compilePredicate(cut.where, (name) => index.get(name)!));
  return (fields) => {
    const row = columns.map((column, i) => readCell(fields[i] ?? null, column));
    const found = byTuple.get(tupleKey(keyIndexes.map((i) => row[i] as Value | null | undefined)));
    if (found === undefined) return nowhere;
    for (const cut of found)
      if (!tests[cut]!(row))
        throw new Refusal(
          'FOREIGN_ROW',
          `A row for “${cuts[cut]!.name}” did not pass the second check. Nothing more is sent.`,
        );
    return found;
  };
}
