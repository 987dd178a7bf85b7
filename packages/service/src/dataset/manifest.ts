import { columnLabel } from '@underbell/core/dataset';
import { QueryTypes } from 'sequelize';
import type { App, Capability, Named, ThingId, ThingTexts, ThingUse } from '../platform/index.ts';
import { sweepTables } from './load.ts';
import { datasetRoutes } from './routes.ts';
import { listDatasets } from './store.ts';

const texts = async (app: App): Promise<ThingTexts[]> =>
  (await listDatasets(app)).map(({ name, title, description, columns }) => ({
    name,
    title,
    description,
    inside: columns.flatMap((column) => [
      { where: 'column', text: columnLabel(column) },
      { where: 'column', text: column.name },
    ]),
  }));

async function dataTables(app: App, name: string): Promise<string[]> {
  const rows = await app.records.query<{ table_name: string }>(
    `SELECT table_name FROM revisions WHERE dataset_name = $name AND state = 'ready'`,
    { bind: { name }, type: QueryTypes.SELECT },
  );
  return rows.map((row) => row.table_name);
}

const uses = async (app: App): Promise<ThingUse[]> =>
  (await listDatasets(app)).flatMap(({ name, sourceName }) =>
    sourceName === null
      ? []
      : [{ by: { kind: 'dataset', name }, of: { kind: 'source', name: sourceName }, what: 'is read from it' }],
  );

async function work(app: App, { kind, name }: ThingId): Promise<string[]> {
  if (kind !== 'dataset') return [];
  // The lock that loads hold: none begins under this name while the transaction goes on.
  const [lock] = await app.records.query<{ held: boolean }>(
    'SELECT pg_try_advisory_xact_lock(730002, hashtext($name)) AS held',
    { bind: { name }, type: QueryTypes.SELECT },
  );
  return lock!.held ? [] : [`dataset ${name} is being loaded`];
}

/** What is told of a dataset, or is to be loaded of it, and waits in the queue. */
async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (kind !== 'dataset') return;
  await app.records.query(
    `UPDATE jobs SET payload = jsonb_set(payload, '{name}', to_jsonb($to::text))
     WHERE kind LIKE 'dataset.%' AND state IN ('waiting', 'leased') AND payload->>'name' = $from`,
    { bind: { from: name, to } },
  );
}

/** Rows under a name: read, counted, filtered, loaded. */
export const dataset: Capability = {
  name: 'dataset',
  routes: datasetRoutes,
  things: [{ kind: 'dataset', table: 'datasets', folderColumn: 'folder_name', texts, dataTables }],
  references: { uses, work, follow },
  clock: [{ everyMs: 15_000, work: sweepTables }],
};
