import pLimit from 'p-limit';
import type { FilterPart } from '@underbell/core/access';
import { formatValue, valueTypeOf, type DatasetColumn, type Value } from '@underbell/core/dataset';
import {
  compileSql,
  nothing,
  quoteName,
  StatementBinder,
  type Cell,
  type SqlBinder,
  type TypedNode,
} from '@underbell/core/filter';
import {
  assembleResult,
  canShareScan,
  compileFigureSetsSql,
  compileFigureSql,
  type DataFigure,
  type FigurePlan,
  type FigureQuery,
  type FigureResult,
} from '@underbell/core/report';
import { hasActiveReaders, type App } from '../platform/index.ts';
import { ask, rowsOf, type RowRequest } from './request.ts';
import { answerQuery, refuseTelling, shownPlan } from './rowFigures.ts';
import { columnPgType } from './table.sql.ts';

/** Copies that one query answers for: the columns by which they are told, and each one's combinations of their values. */
export interface Partition {
  readonly columns: readonly DatasetColumn[];
  readonly tuples: readonly (readonly (readonly Value[])[])[];
}

type Rows = readonly (readonly Cell[])[];
/** The rows of one copy, by its number. */
type RowsOfCut = (cut: number) => Rows;

const noRows: FilterPart = { origin: 'burst', name: 'no rows', isFixed: true, node: nothing };

/** No column of a dataset has such a name. */
const cutColumn: DatasetColumn = { name: 'cut of rows', type: 'integer' };
const cutNode: TypedNode = { kind: 'column', type: 'number', column: cutColumn };

/** The rows with the number of each copy that they belong to: once for every one of them. */
function perCut(from: string, { columns, tuples }: Partition, binder: SqlBinder): string {
  const flat = tuples.flatMap((own, cut) => own.map((tuple) => [cut, tuple] as const));
  const numbers = binder.bindArray(
    flat.map(([cut]) => String(cut)),
    'integer',
  );
  const keys = columns.map(({ type }, i) =>
    binder.bindArray(
      flat.map(([, tuple]) => formatValue(tuple[i]!, valueTypeOf(type))),
      columnPgType(type),
    ),
  );
  const names = ['"cut"', ...columns.map((_, i) => `"k${i}"`)].join(', ');
  const same = columns.map((one, i) => `m."k${i}" = d.${quoteName(one.name)}`).join(' AND ');
  const cuts = `unnest(${[numbers, ...keys].join(', ')}) AS m(${names})`;
  return `(SELECT d.*, m."cut" AS ${quoteName(cutColumn.name)} FROM (SELECT * FROM ${from}) d JOIN ${cuts} ON ${same}) AS "by cut"`;
}

/** Where every copy is one value of a text column and no two are the same, the column itself tells them apart. */
function ownColumn({ columns, tuples }: Partition): { node: TypedNode; values: Map<Cell, number> } | undefined {
  const [column, ...others] = columns;
  if (column?.type !== 'text' || others.length > 0 || tuples.some((own) => own.length !== 1)) return undefined;
  const values = new Map(tuples.map(([tuple], cut) => [tuple![0] as Cell, cut]));
  return values.size < tuples.length ? undefined : { node: { kind: 'column', type: 'text', column }, values };
}

/** Rows with the copy that each belongs to, as SQL. */
interface PartedRows {
  readonly rows: { readonly from: string; readonly where: string };
  readonly partitionBy: TypedNode;
  /** The copy's number in the partition, from what the query says of it. */
  cutOf(value: Cell): number;
}

/** @param isPart - whether the partition leaves out copies that the request's filter lets through */
function partRows(request: RowRequest, partition: Partition, binder: SqlBinder, isPart: boolean): PartedRows {
  const rows = rowsOf(request, binder);
  const own = ownColumn(partition);
  if (!own)
    return { rows: { ...rows, from: perCut(rows.from, partition, binder) }, partitionBy: cutNode, cutOf: Number };
  const { node, values } = own;
  const cutOf = (value: Cell) => values.get(value)!;
  if (!isPart) return { rows, partitionBy: node, cutOf };
  const texts = binder.bindArray([...values.keys()] as string[], 'text');
  const where = `(${rows.where}) AND ${compileSql(node, binder)} = ANY(${texts})`;
  return { rows: { ...rows, where }, partitionBy: node, cutOf };
}

/** Rows of each copy, by its number; none where it has none. */
type Found = Map<number, (readonly Cell[])[]>;

/** Asks a query for all copies at once. */
async function askPerCut(app: App, request: RowRequest, query: FigureQuery, partition: Partition): Promise<Found> {
  const binder = new StatementBinder();
  const { cutOf, ...parted } = partRows(request, partition, binder, false);
  const text = compileFigureSql(query, { ...parted, binder, minRows: request.filter.masking.minRows });
  const found: Found = new Map();
  for (const [value, ...cells] of await ask(app, request, text, binder.values)) {
    const cut = cutOf(value!);
    const known = found.get(cut);
    if (known) known.push(cells);
    else found.set(cut, [cells]);
  }
  return found;
}

interface Part {
  readonly partition: Partition;
  /** There are copies beyond it. */
  readonly isPart: boolean;
}

/** Asks several queries for some copies at once, with one scan. @returns what each found, in their order */
async function askSetsPerCut(
  app: App,
  request: RowRequest,
  queries: readonly FigureQuery[],
  { partition, isPart }: Part,
): Promise<Found[]> {
  const binder = new StatementBinder();
  const { cutOf, ...parted } = partRows(request, partition, binder, isPart);
  const { text, read } = compileFigureSetsSql(queries, { ...parted, binder });
  const found = queries.map((): Found => new Map());
  for (const row of await ask(app, request, text, binder.values)) {
    const { query, partition: value, place, cells } = read(row);
    const cut = cutOf(value);
    const known = found[query]!.get(cut) ?? [];
    known[place] = cells;
    found[query]!.set(cut, known);
  }
  return found;
}

/** The lane of planned work has one more connection, for the rows that are read meanwhile. */
const queriesAtOnce = 3;
/** Copies of one scan: fewer are not worth a scan of their own. */
const fewestCuts = 20;

/** A partition in a few of its own, for queries side by side; each with the number of its first copy. */
function partsOf({ columns, tuples }: Partition): (Part & { first: number })[] {
  const count = Math.max(1, Math.min(queriesAtOnce, Math.floor(tuples.length / fewestCuts)));
  const size = Math.ceil(tuples.length / count);
  return Array.from({ length: count }, (_, i) => ({
    partition: { columns, tuples: tuples.slice(i * size, (i + 1) * size) },
    first: i * size,
    isPart: count > 1,
  }));
}

interface Asked {
  readonly query: FigureQuery;
  readonly resolve: (rows: RowsOfCut) => void;
  readonly reject: (error: unknown) => void;
}

/**
 * Asks what the figures of a page need, for all copies. Queries of several figures over the same rows become one, which
 * groups what it reads in as many ways: a page takes one scan.
 */
export class CutAsker {
  readonly #app: App;
  readonly #turns = pLimit(queriesAtOnce);
  /** While people look, one query at a time: together they take what a database reads from memory with. */
  readonly #single = pLimit(1);
  readonly #waiting = new Map<string, { request: RowRequest; partition: Partition; asked: Asked[] }>();

  constructor(app: App) {
    this.#app = app;
  }

  ask(request: RowRequest, query: FigureQuery, partition: Partition): Promise<RowsOfCut> {
    if (!canShareScan(query) || request.filter.masking.minRows > 1) return this.#askAlone(request, query, partition);
    const binder = new StatementBinder();
    const key = JSON.stringify([
      request.revision.id,
      rowsOf(request, binder),
      binder.values,
      partition.columns.map((one) => one.name),
    ]);
    const known = this.#waiting.get(key) ?? { request, partition, asked: [] };
    this.#waiting.set(key, known);
    // The other figures of the page ask in the same turn.
    if (known.asked.length === 0) setImmediate(() => void this.#askTogether(key));
    return new Promise((resolve, reject) => known.asked.push({ query, resolve, reject }));
  }

  #take<T>(work: () => Promise<T>): Promise<T> {
    return this.#turns(async () => ((await hasActiveReaders(this.#app.records)) ? this.#single(work) : work()));
  }

  async #askAlone(request: RowRequest, query: FigureQuery, partition: Partition): Promise<RowsOfCut> {
    const found = await this.#take(() => askPerCut(this.#app, request, query, partition));
    return this.#rowsOf(request, query, partition, (cut) => found.get(cut));
  }

  /** A copy without rows is answered as any question about no rows is: with counts of zero, where there are counts. */
  async #rowsOf(
    request: RowRequest,
    query: FigureQuery,
    partition: Partition,
    found: (cut: number) => Rows | undefined,
  ): Promise<RowsOfCut> {
    if (partition.tuples.every((_, cut) => found(cut) !== undefined)) return (cut) => found(cut)!;
    const none = { ...request, filter: request.filter.narrow(noRows) };
    const empty = await answerQuery(this.#app, none, query);
    return (cut) => found(cut) ?? empty;
  }

  async #askTogether(key: string): Promise<void> {
    const { request, partition, asked } = this.#waiting.get(key)!;
    this.#waiting.delete(key);
    const queries = asked.map(({ query }) => query);
    try {
      const found = queries.map((): Found => new Map());
      await Promise.all(
        partsOf(partition).map(async (part) => {
          const answers = await this.#take(() => askSetsPerCut(this.#app, request, queries, part));
          for (const [i, answer] of answers.entries())
            for (const [cut, rows] of answer) found[i]!.set(part.first + cut, rows);
        }),
      );
      for (const [i, { query, resolve }] of asked.entries())
        resolve(await this.#rowsOf(request, query, partition, (cut) => found[i]!.get(cut)));
    } catch (error) {
      for (const { reject } of asked) reject(error);
    }
  }
}

/**
 * One figure's answer for every copy, from a scan that it shares with others where it can. A row that belongs to several counts in
 * each; averages and distinct counts are grouped per copy, never summed up from parts.
 *
 * @param asker - the same for all figures of a page that are asked at once
 * @returns by the number of the copy in `partition.tuples`
 */
export async function readFigurePerCut(
  app: App,
  asker: CutAsker,
  request: RowRequest,
  figure: DataFigure,
  asked: FigurePlan,
  partition: Partition,
): Promise<(cut: number) => FigureResult> {
  const plan = shownPlan(asked, request.filter);
  refuseTelling(request, plan);
  const ask = (query: FigureQuery) => asker.ask(request, query, partition);
  const [main, sums, others, trend, lines, ends] = await Promise.all([
    ask(plan.main),
    Promise.all(plan.sums.map(ask)),
    plan.others && ask(plan.others),
    plan.trend && ask(plan.trend),
    plan.lines && ask(plan.lines),
    plan.ends && ask(plan.ends),
  ]);
  return (cut) =>
    assembleResult(figure, plan, {
      main: main(cut),
      sums: sums.map((one) => one(cut)),
      ...(others ? { others: others(cut) } : {}),
      ...(trend ? { trend: trend(cut) } : {}),
      ...(lines ? { lines: lines(cut) } : {}),
      ...(ends ? { ends: ends(cut) } : {}),
    });
}
