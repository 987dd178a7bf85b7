import { QueryTypes } from 'sequelize';
import type { CostSum } from '@underbell/core/meter';
import type { App } from '../platform/index.ts';

/** What one view, refresh or delivery has cost. */
export interface MeterEntry {
  readonly kind: 'view' | 'refresh' | 'delivery';
  readonly lane: 'readers' | 'planned';
  readonly report?: string;
  readonly burst?: string;
  readonly placement?: string;
  readonly dataset?: string;
  /** Mail address of who looked or sent; a program by its name. */
  readonly person?: string;
  /** Of a delivered file. */
  readonly format?: string;
  readonly isLive?: boolean;
  /** Rows that databases answered. */
  readonly rows?: number;
  /** Milliseconds. */
  readonly queryMs?: number;
  readonly renderMs?: number;
  /** Of this service, computing rather than waiting. */
  readonly cpuMs?: number;
  readonly bytes?: number;
  readonly hits?: number;
  readonly misses?: number;
}

const held = new WeakMap<App, { entries: object[]; timer: NodeJS.Timeout | undefined }>();
const flushMs = 1_000;
const heldMost = 500;

async function flush(app: App): Promise<void> {
  const holder = held.get(app);
  if (!holder) return;
  clearTimeout(holder.timer);
  holder.timer = undefined;
  const entries = holder.entries.splice(0);
  if (entries.length === 0) return;
  await app.records.query(
    `INSERT INTO meter (at, kind, lane, report, burst, placement, dataset, person, format, is_live, row_count, query_ms, render_ms, cpu_ms, bytes, hits, misses)
     SELECT at, kind, lane, report, burst, placement, dataset, person, format, coalesce("isLive", false), coalesce(rows, 0),
       coalesce("queryMs", 0), coalesce("renderMs", 0), coalesce("cpuMs", 0), coalesce(bytes, 0), coalesce(hits, 0), coalesce(misses, 0)
     FROM jsonb_to_recordset($entries::jsonb) AS one (at timestamptz, kind text, lane text, report text, burst text,
       placement text, dataset text, person text, format text, "isLive" boolean, rows bigint, "queryMs" real, "renderMs" real,
       "cpuMs" real, bytes bigint, hits integer, misses integer)`,
    { bind: { entries: JSON.stringify(entries) } },
  );
}

/** Writes down what something cost, a second later and many at once, so that nobody waits for it. */
export function meter(app: App, entry: MeterEntry): void {
  let holder = held.get(app);
  if (!holder) {
    holder = { entries: [], timer: undefined };
    held.set(app, holder);
    app.atClose.add(() => flush(app));
  }
  holder.entries.push({ at: new Date(app.now()), ...entry });
  const write = () =>
    void flush(app).catch((error: unknown) => app.log.warn({ err: error }, 'the meter could not be written'));
  if (holder.entries.length >= heldMost) write();
  else holder.timer ??= setTimeout(write, flushMs).unref();
}

/** By what costs are added up. */
export const meterGroups = ['hour', 'day', 'kind', 'report', 'burst', 'place', 'dataset', 'person', 'format'] as const;
export type MeterGroup = (typeof meterGroups)[number];

const groupSql: Record<MeterGroup, string> = {
  hour: `to_char(date_trunc('hour', at AT TIME ZONE $zone), 'YYYY-MM-DD HH24:00')`,
  day: `to_char(at AT TIME ZONE $zone, 'YYYY-MM-DD')`,
  kind: `kind || CASE WHEN is_live THEN ', live' ELSE '' END`,
  report: 'report',
  burst: 'burst',
  place: 'placement',
  dataset: 'dataset',
  person: 'person',
  format: 'format',
};

/** Costs added up, the dearest first; times in their order. What has no such name is left out. */
export async function sumMeter(
  app: App,
  wish: {
    readonly by: MeterGroup;
    readonly from: Date;
    readonly to: Date;
    readonly burst?: string;
    readonly report?: string;
  },
): Promise<CostSum[]> {
  const group = groupSql[wish.by];
  const order = wish.by === 'hour' || wish.by === 'day' ? 'name' : '(sum(query_ms) + sum(render_ms)) DESC, name';
  return app.records.query<CostSum>(
    `SELECT ${group} AS name, count(*)::float8 AS times, sum(row_count)::float8 AS rows, sum(query_ms)::float8 AS "queryMs",
       sum(render_ms)::float8 AS "renderMs", sum(cpu_ms)::float8 AS "cpuMs", sum(bytes)::float8 AS bytes,
       sum(hits)::float8 / nullif(sum(hits) + sum(misses), 0) AS "hitShare"
     FROM meter
     WHERE at >= $from AND at < $to AND ($zone::text IS NOT NULL) AND (${group}) IS NOT NULL
       AND ($burst::text IS NULL OR burst = $burst) AND ($report::text IS NULL OR report = $report)
     GROUP BY 1 ORDER BY ${order} LIMIT 500`,
    {
      bind: {
        from: wish.from,
        to: wish.to,
        zone: app.settings.timeZone,
        burst: wish.burst ?? null,
        report: wish.report ?? null,
      },
      type: QueryTypes.SELECT,
    },
  );
}

/** What a copy of a format cost so far, on average. */
export interface CopyCost {
  readonly format: string;
  /** Queries and making; milliseconds. */
  readonly ms: number;
  readonly bytes: number;
  /** Copies that the average is of. */
  readonly times: number;
}

/** What copies of a burst cost, by format; where it has sent none yet, what copies of all bursts do. */
export async function copyCosts(app: App, burst: string): Promise<CopyCost[]> {
  return app.records.query<CopyCost>(
    `SELECT DISTINCT ON (format) format, (sum(query_ms + render_ms) / count(*))::float8 AS ms,
       (sum(bytes) / count(*))::float8 AS bytes, count(*)::float8 AS times
     FROM meter WHERE kind = 'delivery' AND format IS NOT NULL
     GROUP BY format, burst = $burst ORDER BY format, burst = $burst DESC`,
    { bind: { burst }, type: QueryTypes.SELECT },
  );
}
