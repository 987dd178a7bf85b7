import { Op } from 'sequelize';
import type { PlacementUse } from '@underbell/core/placement';
import { placementViews } from '../usage/index.ts';
import { rows, perInstance, type App } from '../platform/index.ts';
import { placementHosts, placementProblems } from './models.ts';
import { addProblems } from './problems.sql.ts';

const dayMs = 86_400_000;
const hourMs = 3_600_000;
const viewDays = 30;

interface Noted {
  /** Placement, code and hour -> how often. */
  readonly problems: Map<string, { placementName: string; code: string; hour: Date; count: number }>;
  /** Placement and origin -> when. */
  readonly hosts: Map<string, { placementName: string; origin: string; seenAt: Date }>;
  timer: NodeJS.Timeout | undefined;
}

const flushMs = 1_000;

async function flush(app: App, held: Noted): Promise<void> {
  clearTimeout(held.timer);
  held.timer = undefined;
  const [problems, hosts] = [[...held.problems.values()], [...held.hosts.values()]];
  held.problems.clear();
  held.hosts.clear();
  for (const one of problems) await addProblems(app, one);
  for (const one of hosts) await placementHosts(app).upsert(one);
}

const notedFor = perInstance((app) => {
  const held: Noted = { problems: new Map(), hosts: new Map(), timer: undefined };
  app.atClose.add(() => flush(app, held));
  return held;
});

/** Many visitors make few writes: what they meet is gathered for a second. */
function gather(app: App): Noted {
  const held = notedFor(app);
  held.timer ??= setTimeout(() => {
    flush(app, held).catch((error: unknown) =>
      app.log.warn({ err: error }, 'how placements are used could not be noted'),
    );
  }, flushMs).unref();
  return held;
}

/** Notes that a visitor did not see a placement, and why. */
export function noteProblem(app: App, placementName: string, code: string): void {
  const hour = new Date(Math.floor(app.now() / hourMs) * hourMs);
  const key = `${placementName} ${code} ${hour.getTime()}`;
  const { problems } = gather(app);
  problems.set(key, { placementName, code, hour, count: (problems.get(key)?.count ?? 0) + 1 });
}

/** Notes that a page of a host shows a placement: one of those that may. */
export function recordHost(app: App, placementName: string, origin: string): void {
  gather(app).hosts.set(`${placementName} ${origin}`, { placementName, origin, seenAt: new Date(app.now()) });
}

/** How placements are used: views and viewers of the last 30 days, problems of the last day. */
export async function usageOf(
  app: App,
  names: readonly string[],
): Promise<ReadonlyMap<string, Omit<PlacementUse<Date>, 'dataAt'>>> {
  if (names.length === 0) return new Map();
  const placementName = [...names];
  const [views, hosts, problems] = await Promise.all([
    placementViews(app, names, new Date(app.now() - viewDays * dayMs)),
    rows(placementHosts(app), { where: { placementName }, order: [['seenAt', 'DESC']] }),
    rows(placementProblems(app), { where: { placementName, hour: { [Op.gt]: new Date(app.now() - dayMs) } } }),
  ]);
  return new Map(
    names.map((name) => {
      const seen = views.get(name);
      const codes: Record<string, number> = {};
      for (const one of problems) if (one.placementName === name) codes[one.code] = (codes[one.code] ?? 0) + one.count;
      return [
        name,
        {
          lastSeenAt: seen?.lastAt ?? null,
          views: seen?.views ?? 0,
          viewers: seen?.viewers ?? 0,
          hosts: hosts.filter((one) => one.placementName === name).map(({ origin, seenAt }) => ({ origin, seenAt })),
          problems: codes,
        },
      ];
    }),
  );
}
