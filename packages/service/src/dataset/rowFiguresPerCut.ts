import type { LimitPart } from '@underbell/core/access';
import { formatValue, valueTypeOf, type DatasetColumn, type Value } from '@underbell/core/dataset';
import { nothing, quoteName, StatementBinder, type Cell, type SqlBinder, type TypedNode } from '@underbell/core/filter';
import {
  assembleResult,
  compileFigureSql,
  type DataFigure,
  type FigurePlan,
  type FigureQuery,
  type FigureResult,
} from '@underbell/core/report';
import { isAnybodyLooking, Turns, type App } from '../platform/index.ts';
import { ask, refuseSmallGroups, rowsOf, type RowRequest } from './road.ts';
import { answerQuery, shownPlan } from './rowFigures.ts';
import { columnPgType } from './table.sql.ts';

/** Copies that one query answers for: the columns by which they are told, and each one's combinations of their values. */
export interface Partition {
  readonly columns: readonly DatasetColumn[];
  readonly tuples: readonly (readonly (readonly Value[])[])[];
}

type Rows = readonly (readonly Cell[])[];
/** The rows of one copy, by its number. */
type RowsOfCut = (cut: number) => Rows;

const noRows: LimitPart = { origin: 'burst', name: 'no rows', isFixed: true, node: nothing };

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

/** Asks a query for all copies at once. @returns each one's rows, by the number of the copy; none where it has none */
async function askPerCut(
  app: App,
  request: RowRequest,
  query: FigureQuery,
  partition: Partition,
): Promise<Map<number, (readonly Cell[])[]>> {
  const binder = new StatementBinder();
  const rows = rowsOf(request, binder);
  const own = ownColumn(partition);
  const text = compileFigureSql(query, {
    rows: own ? rows : { ...rows, from: perCut(rows.from, partition, binder) },
    binder,
    minRows: request.filter.masking.minRows,
    partitionBy: own ? own.node : cutNode,
  });
  const found = new Map<number, (readonly Cell[])[]>();
  for (const [value, ...cells] of await ask(app, request, text, binder.values)) {
    const cut = own ? own.values.get(value!)! : Number(value);
    const known = found.get(cut);
    if (known) known.push(cells);
    else found.set(cut, [cells]);
  }
  return found;
}

/** The lane of planned work has one more connection, for the rows that are read meanwhile. */
const queriesAtOnce = 3;

interface Asked {
  readonly query: FigureQuery;
  readonly resolve: (rows: RowsOfCut) => void;
  readonly reject: (error: unknown) => void;
}

/** Answers one line for each copy, from sums over all its rows. */
const isOneLine = ({ isGrouped, columns, beyond, limit, offset = 0 }: FigureQuery) =>
  isGrouped && beyond === undefined && limit === 1 && offset === 0 && columns.every((one) => one.role !== 'group');

/**
 * Asks what the figures of a page need, for all copies. Queries of several figures that answer one line for each copy of
 * the same rows become one: four numbers of a page take one scan.
 */
export class CutAsker {
  readonly #app: App;
  readonly #turns = new Turns(queriesAtOnce);
  /** While people look, one query at a time: together they take what a database reads from memory with. */
  readonly #single = new Turns(1);
  readonly #waiting = new Map<string, { request: RowRequest; partition: Partition; asked: Asked[] }>();

  constructor(app: App) {
    this.#app = app;
  }

  ask(request: RowRequest, query: FigureQuery, partition: Partition): Promise<RowsOfCut> {
    if (!isOneLine(query) || request.filter.masking.minRows > 1) return this.#askAlone(request, query, partition);
    const binder = new StatementBinder();
    const key = JSON.stringify([request.revision.id, rowsOf(request, binder), binder.values]);
    const known = this.#waiting.get(key) ?? { request, partition, asked: [] };
    this.#waiting.set(key, known);
    // The other figures of the page ask in the same turn.
    if (known.asked.length === 0) setImmediate(() => void this.#askTogether(key));
    return new Promise((resolve, reject) => known.asked.push({ query, resolve, reject }));
  }

  #take<T>(work: () => Promise<T>): Promise<T> {
    return this.#turns.take(async () =>
      (await isAnybodyLooking(this.#app.records)) ? this.#single.take(work) : work(),
    );
  }

  async #askAlone(request: RowRequest, query: FigureQuery, partition: Partition): Promise<RowsOfCut> {
    const found = await this.#take(() => askPerCut(this.#app, request, query, partition));
    if (found.size === partition.tuples.length) return (cut) => found.get(cut)!;
    // A copy without rows is answered as any question about no rows is: with counts of zero, where there are counts.
    const none = { ...request, filter: request.filter.narrow(noRows) };
    const empty = await answerQuery(this.#app, none, query);
    return (cut) => found.get(cut) ?? empty;
  }

  async #askTogether(key: string): Promise<void> {
    const { request, partition, asked } = this.#waiting.get(key)!;
    this.#waiting.delete(key);
    try {
      const columns = asked.flatMap(({ query }, q) => query.columns.map((one, c) => ({ ...one, name: `q${q}c${c}` })));
      const all = { ...asked[0]!.query, columns, order: [] };
      const rowsOf = await this.#askAlone(request, all, partition);
      let from = 0;
      for (const { query, resolve } of asked) {
        const start = from;
        const end = (from += query.columns.length);
        resolve((cut) => rowsOf(cut).map((row) => row.slice(start, end)));
      }
    } catch (error) {
      for (const { reject } of asked) reject(error);
    }
  }
}

/**
 * One figure's answer for every copy, from one query each of its plan at most. A row that belongs to several counts in
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
  await refuseSmallGroups(app, request, asked.main.isGrouped);
  const plan = shownPlan(asked, request.filter);
  const ask = (query: FigureQuery) => asker.ask(request, query, partition);
  const [main, sums, others, trend, lines] = await Promise.all([
    ask(plan.main),
    Promise.all(plan.sums.map(ask)),
    plan.others && ask(plan.others),
    plan.trend && ask(plan.trend),
    plan.lines && ask(plan.lines),
  ]);
  return (cut) =>
    assembleResult(figure, plan, {
      main: main(cut),
      sums: sums.map((one) => one(cut)),
      ...(others ? { others: others(cut) } : {}),
      ...(trend ? { trend: trend(cut) } : {}),
      ...(lines ? { lines: lines(cut) } : {}),
    });
}
