import { querySql, type App } from '../platform/index.ts';

// Rows of the version that their list has now: two columns of two tables beside each other, which no model compares.

/** How many recipients each list has in its newest version. */
export async function countRecipients(app: App): Promise<ReadonlyMap<string, number>> {
  const counts = await querySql<{ name: string; recipients: number }>(
    app,
    `SELECT name, count(*)::integer AS recipients
     FROM lists JOIN list_rows ON list_name = name AND list_rows.version = lists.version GROUP BY name`,
  );
  return new Map(counts.map((one) => [one.name, one.recipients]));
}
