import { dataTable } from '../dataset/index.ts';
import { forEachIsolated, remember, type App } from '../platform/index.ts';
import { listBin, purge } from './store.ts';
import { binDays } from './usecases.ts';

/** Removes for good what has lain in the bin long enough. */
export async function emptyBin(app: App): Promise<void> {
  const before = new Date(app.now() - binDays * 86_400_000);
  const empty = async (one: Awaited<ReturnType<typeof listBin>>[number]) => {
    if (one.deletedAt > before) return;
    const tables = await app.records.transaction(async () => {
      const gone = await purge(app, one, before);
      if (gone === undefined) return [];
      const what = { who: 'the bin', what: 'deleted permanently', thing: `${one.kind} ${one.name}`, origin: '' };
      await remember(app, what);
      return gone;
    });
    for (const table of tables) await app.lanes.planned.query(`DROP TABLE IF EXISTS ${dataTable(table)}`);
  };
  await forEachIsolated(await listBin(app), empty, (error, { kind, name }) =>
    app.log.error({ err: error, kind, name }, 'a thing in the bin could not be removed'),
  );
}
