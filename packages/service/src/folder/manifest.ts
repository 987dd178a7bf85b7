import { foldedKinds } from '@underbell/core/access';
import { folders } from '../access/index.ts';
import { folderOfEach, originSets, type App, type Capability, type Named, type ThingUse } from '../platform/index.ts';
import { folderRoutes } from './routes.ts';
import { followMarks, forgetMarks } from './store.ts';
import { followInPages } from './folderPage.ts';
import { repairNames } from './repairNames.ts';
import { favourites, folderPages, recents } from './models.ts';

const uses = async (app: App): Promise<ThingUse[]> => {
  const all = await Promise.all(
    (['folder', ...foldedKinds] as const).map(async (kind) =>
      (await folderOfEach(app, kind)).map(({ name, folder }): ThingUse => ({
        by: { kind, name },
        of: { kind: 'folder', name: folder },
        what: 'is in it',
      })),
    ),
  );
  return all.flat();
};

/** Folders, search, favourites, the bin, and what is done alike with things of every kind. */
export const folder: Capability = {
  name: 'folder',
  framers: (app) => originSets(app, folderPages),
  models: [favourites, recents, folderPages],
  routes: folderRoutes,
  things: [{ kind: 'folder', model: folders, folder: 'parentName' }],
  references: {
    uses,
    async follow(app: App, thing: Named, to: string) {
      await followMarks(app, thing, to);
      await followInPages(app, thing, to);
    },
    forget: forgetMarks,
  },
  jobs: [{ 'names.repair': repairNames }],
  clock: [{ everyMs: 15_000, work: async (app) => (await import('./jobs.ts')).emptyBin(app) }],
};
