import type pg from 'pg';
import { exactRowsSql, stepCountsSql, rowsSql, type EffectiveFilter, type RowsSql } from '@underbell/core/access';
import type { Cell, SqlBinder, TypedNode } from '@underbell/core/filter';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import type { FigureQuery } from '@underbell/core/report';
import { takeConnection, tell, type App, type PoolName } from '../platform/index.ts';
import { connectLive, readingOnly, sourceRefusal } from '../source/index.ts';
import { queryCache } from './cache.ts';
import type { Revision } from './store.ts';
import { dataTable, liveTable } from './table.sql.ts';

/** Rows of one revision, as one viewing may see them. The only way to rows: there is no reading without a filter. */
export interface RowRequest {
  readonly lane: PoolName;
  readonly revision: Revision;
  readonly filter: EffectiveFilter;
}

/** Guards against a filter that was made for another dataset. */
function filterOf({ revision, filter }: RowRequest): EffectiveFilter {
  if (filter.dataset.name !== revision.shape.name)
    throw new TypeError(`a filter of ${filter.dataset.name} cannot read ${revision.shape.name}`);
  return filter;
}

/** The rows as their viewer may see them: masked, and filtered. */
export function rowsOf(request: RowRequest, binder: SqlBinder): RowsSql {
  return rowsSql(filterOf(request), { table: tableOf(request.revision), binder });
}

/** The same rows with their exact values, for whoever cuts, counts or masks them. */
export function exactRowsOf(request: RowRequest, binder: SqlBinder): RowsSql {
  return exactRowsSql(filterOf(request), { table: tableOf(request.revision), binder });
}

/** Every row with how many limits it passes, as "passed"; a limit is not evaluated on a row that one before it left out. */
export function passedOf(request: RowRequest, binder: SqlBinder): string {
  return `(SELECT ${stepCountsSql(filterOf(request), binder)} AS "passed" FROM ${tableOf(request.revision)}) AS "counted"`;
}

export const tooSmall = (rows: number): Refusal =>
  new Refusal('GROUPS_TOO_SMALL', `This is not shown to you: it has fewer than ${rows} rows.`);

/** What somebody asks of the rows: single ones, or groups and what is measured of each. */
type Asked = 'rows' | 'counts' | Pick<FigureQuery, 'isGrouped' | 'columns'>;

/** Whether a measure tells of one row: the largest is somebody's, and a condition may hold for one alone. */
function singlesOut(node: TypedNode, isPlain: boolean): boolean {
  if (node.kind === 'operation') return node.args.some((one) => singlesOut(one, isPlain));
  if (node.kind !== 'aggregate') return false;
  const { name, arg } = node;
  const isBare = (one: TypedNode): boolean =>
    one.kind === 'column' || (one.kind === 'operation' && one.op === 'not' && one.args.every(isBare));
  return name === 'min' || name === 'max' || (isPlain && arg !== undefined && !isBare(arg));
}

/**
 * Refuses what would tell of single rows while a minimum group size holds: rows themselves, the smallest and largest value,
 * and every condition that is not fixed for its viewer. Two answers could differ by one row whatever each of them holds, and
 * an answer that hung on the rows would tell of them itself; so no row is looked at to decide.
 *
 * @throws {Refusal} `GROUPS_TOO_SMALL`
 */
export function refuseSmallGroups({ filter }: Pick<RowRequest, 'filter'>, asked: Asked): void {
  const { minRows, plainMeasures = false } = filter.masking;
  if (minRows <= 1) return;
  if (asked === 'rows' || (asked !== 'counts' && !asked.isGrouped)) throw tooSmall(minRows);
  if (filter.innerCount < filter.parts.length)
    throw new Refusal(
      'GROUPS_TOO_SMALL',
      `“${filter.dataset.name}” shows you groups of at least ${minRows} rows only, so it cannot be filtered further.`,
      { hint: 'Remove your own filters and selections.' },
    );
  const measured = asked === 'counts' ? [] : asked.columns.filter((one) => one.role === 'measure');
  const told = measured.find(({ node }) => singlesOut(node, plainMeasures));
  if (told)
    throw new Refusal(
      'GROUPS_TOO_SMALL',
      `“${told.label}” would show single rows; “${filter.dataset.name}” shows you groups of at least ${minRows} rows only.`,
      { word: told.name },
    );
}

/** Where a revision's rows are, as SQL. */
export function tableOf({ table, live, shape }: Revision): string {
  return live ? liveTable(live.sql, shape.columns) : dataTable(table);
}

/** A connection to where the rows are: our own snapshot, or the source of a live dataset. */
export function connect(app: App, { lane, revision }: Pick<RowRequest, 'lane' | 'revision'>): Promise<pg.PoolClient> {
  return revision.live ? connectLive(app, revision.live.source, lane) : app.lanes[lane].connect();
}

const isSqlState = (code: string) => /^[0-9A-Z]{5}$/.test(code);
/** Of a connection that broke or was not let in, or a server that lacks something: they depend on no row. */
const isOfServer = (code: string) => /^(08|28|53|57P)/.test(code);
const isOfNetwork = (code: string) => code === '' || /^E(CONN|PIPE|HOST|NET|TIMEDOUT|NOTFOUND|AI_)/.test(code);

/**
 * What an error while rows are read is answered with. It is the same whatever the database says: its words, and which of
 * its errors it is, tell of the rows that it happened on. The cause goes into the log.
 */
export function rowsRefusal(cause: unknown, source: string | undefined): unknown {
  if (isRefusal(cause)) return cause;
  const { code = '' } = cause as { code?: string };
  if (!isSqlState(code)) return source !== undefined && isOfNetwork(code) ? sourceRefusal(cause, source) : cause;
  if (isOfServer(code)) return source === undefined ? cause : sourceRefusal(cause, source);
  return new Refusal(
    'ROWS_UNREADABLE',
    'This could not be computed: it took too long, or a number is out of range.',
    { hint: 'Narrow the filter, or simplify the calculation.' },
    { cause },
  );
}

export async function select(
  app: App,
  request: Pick<RowRequest, 'lane' | 'revision'>,
  text: string,
  values: readonly unknown[],
): Promise<Cell[][]> {
  const { live } = request.revision;
  const giveBack = request.lane === 'readers' ? await takeConnection(app) : undefined;
  const client = await connect(app, request).catch((error: unknown) => {
    giveBack?.();
    throw error;
  });
  const start = performance.now();
  try {
    const ask = () =>
      // One statement, whatever the SQL of a live dataset says.
      client.query<Cell[]>({ text, values: [...values], rowMode: 'array', queryMode: 'extended' } as never);
    const { rows } = live ? await readingOnly(client, ask) : await ask();
    tell({ rows: rows.length, queryMs: performance.now() - start, isLive: live !== undefined });
    return rows;
  } catch (cause) {
    throw rowsRefusal(cause, live?.source);
  } finally {
    client.release();
    giveBack?.();
  }
}

/** Asks through the cache of this process; what planned work asks is asked once, and would only push readers' answers out. */
export function ask(app: App, request: RowRequest, text: string, values: readonly unknown[]) {
  if (request.lane === 'planned') return select(app, request, text, values);
  const { id, keepMs } = request.revision;
  const question = { revision: id, text, values, ...(keepMs === undefined ? {} : { keepMs }) };
  return queryCache(app).ask(question, () => select(app, request, text, values));
}
