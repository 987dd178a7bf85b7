import { dataTable } from '../dataset/index.ts';
import { remember, type App } from '../platform/index.ts';
import { listBin, purge } from './store.ts';
import { binDays } from './usecases.ts';

/** Removes for good what has lain in the bin long enough. */
export async function emptyBin(app: App): Promise<void> {
  const before = app.now() - binDays * 86_400_000;
  for (const one of await listBin(app)) {
    if (one.deletedAt.getTime() > before) continue;
    const tables = await app.records.transaction(async (transaction) => {
      await remember(
        app,
        { who: 'the bin', what: 'removed for good', thing: `${one.kind} ${one.name}`, origin: '' },
        transaction,
      );
      return purge(app, one, transaction);
    });
    for (const table of tables) await app.lanes.planned.query(`DROP TABLE IF EXISTS ${dataTable(table)}`);
  }
}
