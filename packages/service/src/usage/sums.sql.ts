import type { CostSplit, CostStretch, CostSum } from '@underbell/core/usage';
import { querySql, type App } from '../platform/index.ts';

// Sums over stretches of the installation's own time.

/** By what costs are added up. */
export const meterGroups = [
  'hour',
  'day',
  'kind',
  'report',
  'burst',
  'board',
  'place',
  'dataset',
  'person',
  'format',
] as const;
export type MeterGroup = (typeof meterGroups)[number];

const groupSql: Record<MeterGroup, string> = {
  hour: `to_char(date_trunc('hour', at AT TIME ZONE $zone), 'YYYY-MM-DD HH24:00')`,
  day: `to_char(at AT TIME ZONE $zone, 'YYYY-MM-DD')`,
  kind: `kind || CASE WHEN is_live THEN ', live' ELSE '' END`,
  report: 'report',
  burst: 'burst',
  board: 'board',
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
  return querySql<CostSum>(
    app,
    `SELECT ${group} AS name, count(*)::float8 AS times, sum(row_count)::float8 AS rows, sum(query_ms)::float8 AS "queryMs",
       sum(render_ms)::float8 AS "renderMs", sum(cpu_ms)::float8 AS "cpuMs", sum(bytes)::float8 AS bytes,
       sum(hits)::float8 / nullif(sum(hits) + sum(misses), 0) AS "hitShare"
     FROM meter
     WHERE at >= $from AND at < $to AND ($zone::text IS NOT NULL) AND (${group}) IS NOT NULL
       AND ($burst::text IS NULL OR burst = $burst) AND ($report::text IS NULL OR report = $report)
     GROUP BY 1 ORDER BY ${order} LIMIT 500`,
    {
      from: wish.from,
      to: wish.to,
      zone: app.settings.timeZone,
      burst: wish.burst ?? null,
      report: wish.report ?? null,
    },
  );
}

const stretchSql: Record<CostStretch, { readonly words: string; readonly step: string }> = {
  hour: { words: 'YYYY-MM-DD HH24:00', step: '1 hour' },
  day: { words: 'YYYY-MM-DD', step: '1 day' },
  month: { words: 'YYYY-MM', step: '1 month' },
};

/** One name in one stretch; a stretch in which nothing happened has no name. */
export interface StretchRow {
  readonly at: string;
  readonly name: string | null;
  readonly times: number;
  readonly seconds: number;
  readonly bytes: number;
}

/** Costs of every stretch from one moment to another, by name; in the installation's own time. */
export async function sumStretches(
  app: App,
  wish: {
    readonly per: CostStretch;
    readonly by: CostSplit;
    readonly from: Date;
    readonly to: Date;
    readonly burst?: string;
    readonly report?: string;
  },
): Promise<StretchRow[]> {
  const { words, step } = stretchSql[wish.per];
  const group = groupSql[wish.by];
  return querySql<StretchRow>(
    app,
    `SELECT to_char(stretch, '${words}') AS at, ${group} AS name, count(meter.at)::float8 AS times,
       coalesce(sum(query_ms + render_ms), 0)::float8 / 1000 AS seconds, coalesce(sum(bytes), 0)::float8 AS bytes
     FROM generate_series(date_trunc('${wish.per}', $from::timestamptz AT TIME ZONE $zone),
       date_trunc('${wish.per}', $to::timestamptz AT TIME ZONE $zone), interval '${step}') AS stretch
     LEFT JOIN meter ON date_trunc('${wish.per}', meter.at AT TIME ZONE $zone) = stretch
       AND meter.at >= $from AND meter.at < $to AND (${group}) IS NOT NULL
       AND ($burst::text IS NULL OR burst = $burst) AND ($report::text IS NULL OR report = $report)
     GROUP BY stretch, 2 ORDER BY stretch, seconds DESC`,
    {
      from: wish.from,
      to: wish.to,
      zone: app.settings.timeZone,
      burst: wish.burst ?? null,
      report: wish.report ?? null,
    },
  );
}

/** How often placements were looked at since then, by how many, and when last. */
export async function placementViews(
  app: App,
  placements: readonly string[],
  since: Date,
): Promise<ReadonlyMap<string, { readonly views: number; readonly viewers: number; readonly lastAt: Date }>> {
  const found = await querySql<{ placement: string; views: number; viewers: number; lastAt: Date }>(
    app,
    `SELECT placement, count(*)::integer AS views, count(DISTINCT person)::integer AS viewers, max(at) AS "lastAt"
     FROM meter WHERE kind = 'view' AND placement = ANY($placements) AND at >= $since GROUP BY placement`,
    { placements: [...placements], since },
  );
  return new Map(found.map(({ placement, ...rest }) => [placement, rest]));
}

/** When programs last showed something. */
export async function programUses(app: App, programs: readonly string[]): Promise<ReadonlyMap<string, Date>> {
  const found = await querySql<{ person: string; at: Date }>(
    app,
    `SELECT person, max(at) AS at FROM meter WHERE kind = 'view' AND person = ANY($programs) GROUP BY person`,
    { programs: [...programs] },
  );
  return new Map(found.map((one) => [one.person, one.at]));
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
  return querySql<CopyCost>(
    app,
    `SELECT DISTINCT ON (format) format, (sum(query_ms + render_ms) / count(*))::float8 AS ms,
       (sum(bytes) / count(*))::float8 AS bytes, count(*)::float8 AS times
     FROM meter WHERE kind = 'delivery' AND format IS NOT NULL
     GROUP BY format, burst = $burst ORDER BY format, burst = $burst DESC`,
    { burst },
  );
}

/**
 * What views, refreshes and copies have taken since a day began; seconds. A refresh belongs to its dataset; views and copies
 * belong to their report, whatever they read.
 *
 * @param day - `YYYY-MM-DD`
 */
export async function secondsUsed(
  app: App,
  day: string,
  { reports, datasets }: { readonly reports: readonly string[]; readonly datasets: readonly string[] },
): Promise<number> {
  const [sum] = await querySql<{ seconds: number }>(
    app,
    `SELECT coalesce(sum(query_ms + render_ms), 0)::float8 / 1000 AS seconds FROM meter
     WHERE at >= ($day::date)::timestamp AT TIME ZONE $zone
       AND (report = ANY($reports) OR (report IS NULL AND dataset = ANY($datasets)))`,
    { day, zone: app.settings.timeZone, reports, datasets },
  );
  return sum!.seconds;
}
