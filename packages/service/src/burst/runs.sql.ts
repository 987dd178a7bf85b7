import { querySql, type App } from '../platform/index.ts';

// Words inside of definitions, and a change that is at the same time its own question.

/** A run that is not finished, with what it needs. */
export interface LivingRun {
  readonly id: number;
  readonly burst: string;
  readonly state: string;
  readonly report: string;
  readonly list: string;
  readonly template: string | null;
  readonly destination: string | null;
  readonly datasets: readonly string[];
}

export const livingRuns = (app: App): Promise<LivingRun[]> =>
  querySql<LivingRun>(
    app,
    `SELECT id, burst_name AS burst, state, definition->>'report' AS report, definition->>'list' AS list,
       definition->>'template' AS template, definition->'destination'->>'to' AS destination,
       ARRAY(SELECT jsonb_object_keys(revisions)) AS datasets
     FROM runs WHERE state IN ('held', 'waiting', 'running', 'paused') ORDER BY id`,
  );

/**
 * Takes a burst that runs after a refresh, once a day over all processes; one that was set up after the refresh waits for
 * the next.
 *
 * @param refreshed - when the data was loaded, if that is known, and the day, `YYYY-MM-DD`
 */
export async function takeRefreshedBurst(
  app: App,
  name: string,
  { today, at }: { readonly today: string; readonly at: Date | null },
): Promise<boolean> {
  const taken = await querySql(
    app,
    `UPDATE bursts SET refreshed_on = $today WHERE name = $name AND refreshed_on IS DISTINCT FROM $today::date
       AND (awaits_since IS NULL OR $at::timestamptz IS NULL OR awaits_since <= $at) RETURNING name`,
    { name, today, at },
  );
  return taken.length > 0;
}
