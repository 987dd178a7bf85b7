import { originSets, type App, type Capability, type Named, type ThingId, type ThingUse } from '../platform/index.ts';
import { appDoors } from './activeAccess.ts';
import { appModels, appPanels, apps } from './models.ts';
import { appRoutes } from './routes.ts';
import { requireEnabledApp, companyVariantOf } from './companyVariant.ts';
import { listApps, listPlaces } from './store.ts';

const uses = async (app: App): Promise<ThingUse[]> => {
  const found: ThingUse[] = [];
  for (const { name } of await listApps(app))
    for (const { placementName } of await listPlaces(app, name))
      found.push({
        by: { kind: 'app', name },
        of: { kind: 'placement', name: placementName },
        what: 'used in app placement',
      });
  return found;
};

/** People's side panels name placements: each is found by its new name, and forgotten when it is gone. */
async function renamePanels(app: App, name: string, to: string | null): Promise<void> {
  for (const row of await appPanels(app).findAll()) {
    const { appName, personId, chosen, shown } = row.get({ plain: true });
    if (shown !== name && chosen?.includes(name) !== true) continue;
    const next = chosen?.flatMap((one) => (one !== name ? [one] : to === null ? [] : [to])) ?? null;
    await appPanels(app).update({ chosen: next, shown: shown === name ? to : shown }, { where: { appName, personId } });
  }
}

const follow = async (app: App, { kind, name }: Named, to: string) => {
  if (kind === 'placement') await renamePanels(app, name, to);
};
const forget = async (app: App, { kind, name }: ThingId) => {
  if (kind === 'placement') await renamePanels(app, name, null);
};

/** Business apps: reports beside their records, for each company its own, side panels and mixed pages. */
export const app: Capability = {
  name: 'app',
  framers: (app) => originSets(app, apps),
  models: appModels,
  routes: appRoutes,
  things: [{ kind: 'app', model: apps }],
  doors: [appDoors],
  references: { uses, follow, forget },
  companyVariantOf,
  requireEnabledApp,
};
