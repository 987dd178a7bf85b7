import { isAtLeast } from '@underbell/core/access';
import { emailsById, rightsFor } from '../access/index.ts';
import type { AccessProvider } from '../platform/index.ts';
import { switchApp } from './apps.ts';
import { listApps, listPlaces } from './store.ts';

/** Business apps that are on: what stands in them is shown there. */
export const appDoors: AccessProvider = {
  kind: 'app',
  async list(app, person) {
    const [all, emails] = await Promise.all([listApps(app), emailsById(app)]);
    const right = rightsFor(app, person);
    const found = [];
    for (const one of all) {
      if (!one.isOn || !isAtLeast(await right({ kind: 'app', name: one.name }), 'edit')) continue;
      const places = await listPlaces(app, one.name);
      found.push({
        id: one.name,
        title: one.title,
        to: one.origins.join(', ') || 'no origin',
        of: { kind: 'app', name: one.name } as const,
        limits: `${places.length} placements, each by the right of whoever looks`,
        madeBy: emails.get(one.makerId) ?? null,
        madeAt: one.madeAt,
        lastUsedAt: null,
        endsAt: null,
        ending: 'Reports are disabled in this app.',
        mayEnd: person.isAdministrator,
      });
    }
    return found;
  },
  end: (app, person, id, origin) => switchApp(app, person, id, false, origin),
};
