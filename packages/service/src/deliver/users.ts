import { QueryTypes } from 'sequelize';
import type { App } from '../platform/index.ts';

/** Names of the bursts that send to a destination. */
export async function burstsTo(app: App, destination: string): Promise<string[]> {
  const rows = await app.records.query<{ name: string }>(
    `SELECT name FROM bursts WHERE definition->'destination'->>'to' = $destination ORDER BY name`,
    { bind: { destination }, type: QueryTypes.SELECT },
  );
  return rows.map((one) => one.name);
}
