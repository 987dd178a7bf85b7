import { columnLabel } from '@underbell/core/dataset';
import {
  renameInJobs,
  rows,
  type App,
  type Capability,
  type Named,
  type ThingTexts,
  type ThingUse,
} from '../platform/index.ts';
import { loadsOf } from './tables.sql.ts';
import { sweepTables } from './load.ts';
import { datasetRoutes } from './routes.ts';
import { listDatasets } from './store.ts';
import { datasets, revisions } from './models.ts';

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
  const found = await rows(revisions(app), { attributes: ['tableName'], where: { datasetName: name, state: 'ready' } });
  return found.map((row) => row.tableName);
}

const uses = async (app: App): Promise<ThingUse[]> =>
  (await listDatasets(app)).flatMap(({ name, sourceName }) =>
    sourceName === null
      ? []
      : [{ by: { kind: 'dataset', name }, of: { kind: 'source', name: sourceName }, what: 'is read from it' }],
  );

/** What is told of a dataset, or is to be loaded of it, and waits in the queue. */
async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  if (kind !== 'dataset') return;
  await renameInJobs(app, ['dataset.%'], name, to);
}

/** Rows under a name: read, counted, filtered, loaded. */
export const dataset: Capability = {
  name: 'dataset',
  models: [datasets, revisions],
  routes: datasetRoutes,
  things: [{ kind: 'dataset', model: datasets, folder: 'folderName', texts, dataTables }],
  references: { uses, work: loadsOf, follow },
  clock: [{ everyMs: 15_000, work: sweepTables }],
};
