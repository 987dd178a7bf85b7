import { forgetUses, type App, type Capability } from '../platform/index.ts';
import { followGrants, forgetGrants } from './grantStore.ts';
import { accessRoutes } from './routes.ts';
import { accessModels, attributes, groups } from './models.ts';
import { accessDoors } from './activeAccess.ts';

/** Longer than any key lives. */
const keptMs = 60 * 86_400_000;
const hourMs = 3_600_000;
const forgetOldUses = (app: App) => forgetUses(app, new Date(app.now() - keptMs));

/** Sessions, people, groups, rights and requests. */
export const access: Capability = {
  name: 'access',
  doors: accessDoors,
  models: accessModels,
  named: [
    { kind: 'group', model: groups },
    { kind: 'attribute', model: attributes },
  ],
  routes: accessRoutes,
  clock: [{ everyMs: hourMs, work: forgetOldUses }],
  references: { follow: followGrants, forget: forgetGrants },
};
