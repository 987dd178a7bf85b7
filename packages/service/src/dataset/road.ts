import type pg from 'pg';
import { rowsSql, type EffectiveFilter } from '@underbell/core/access';
import { StatementBinder, type Cell, type SqlBinder, type TypedNode } from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import { tell, type App, type Lane } from '../platform/index.ts';
import { connectLive } from '../source/pool.ts';
import { sourceRefusal } from '../source/postgres.ts';
import { queryCache } from './cache.ts';
import type { Revision } from './store.ts';
import { dataTable, liveTable } from './table.sql.ts';

/** Rows of one revision, as one viewing may see them. The only way to rows: there is no reading without a filter. */
export interface RowRequest {
  readonly lane: Lane;
  readonly revision: Revision;
  readonly filter: EffectiveFilter;
}

/** Guards against a filter that was made for another dataset. */
export function whereOf({ revision, filter }: RowRequest): TypedNode {
  if (filter.dataset.name !== revision.shape.name)
    throw new TypeError(`a filter of ${filter.dataset.name} cannot read ${revision.shape.name}`);
  return filter.where;
}

/** The rows as their viewer may see them: masked, and filtered. */
export function rowsOf(request: RowRequest, binder: SqlBinder): { from: string; where: string } {
  whereOf(request);
  return rowsSql(request.filter, { table: tableOf(request.revision), binder });
}

const tooSmall = (rows: number) =>
  new Refusal('GROUPS_TOO_SMALL', `fewer than ${rows} rows stand behind this, so it is not shown to you`);

/**
 * Refuses what would tell of single rows where small groups are masked: rows themselves, and a filter of the reader's
 * that leaves out so few rows that the difference to the whole tells them.
 */
export async function refuseSmallGroups(app: App, request: RowRequest, isGrouped: boolean): Promise<void> {
  const { minRows } = request.filter.masking;
  if (minRows <= 1) return;
  if (!isGrouped) throw tooSmall(minRows);
  if (request.filter.parts.every((part) => part.isFixed)) return;
  const binder = new StatementBinder();
  const { from, where } = rowsOf(request, binder);
  const text = `SELECT (count(*) FILTER (WHERE (${where}) IS NOT TRUE))::float8 FROM ${from}`;
  const [[left]] = (await select(app, request, text, binder.values)) as [[number]];
  if (left > 0 && left < minRows) throw tooSmall(minRows);
}

/** Where a revision's rows are, as SQL. */
export function tableOf({ table, live, shape }: Revision): string {
  return live ? liveTable(live.sql, shape.columns) : dataTable(table);
}

/** A connection to where the rows are: our own snapshot, or the source of a live dataset. */
export function connect(app: App, { lane, revision }: Pick<RowRequest, 'lane' | 'revision'>): Promise<pg.PoolClient> {
  return revision.live ? connectLive(app, revision.live.source) : app.lanes[lane].connect();
}

export async function select(
  app: App,
  request: Pick<RowRequest, 'lane' | 'revision'>,
  text: string,
  values: readonly unknown[],
): Promise<Cell[][]> {
  const { live } = request.revision;
  const client = await connect(app, request);
  const start = performance.now();
  try {
    const { rows } = await client.query<Cell[]>({ text, values: [...values], rowMode: 'array' });
    tell({ rows: rows.length, queryMs: performance.now() - start, isLive: live !== undefined });
    return rows;
  } catch (cause) {
    const { code } = cause as { code?: string };
    // 57014: the statement took longer than its lane allows; 22003: a number left the range of doubles.
    if (code === '57014')
      throw new Refusal(
        'INPUT_INVALID',
        'the query took too long and was stopped',
        { hint: 'narrow the filter' },
        { cause },
      );
    if (code === '22003')
      throw new Refusal('VALUE_INVALID', 'a number of the filter or the data is out of range', {}, { cause });
    throw live ? sourceRefusal(cause, live.source) : cause;
  } finally {
    client.release();
  }
}

/** Asks through the cache of this process; what planned work asks is asked once, and would only push readers' answers out. */
export function ask(app: App, request: RowRequest, text: string, values: readonly unknown[]) {
  if (request.lane === 'planned') return select(app, request, text, values);
  const { id, keepMs } = request.revision;
  const question = { revision: id, text, values, ...(keepMs === undefined ? {} : { keepMs }) };
  return queryCache(app).ask(question, () => select(app, request, text, values));
}
