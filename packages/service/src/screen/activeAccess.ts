import { isAtLeast } from '@underbell/core/access';
import { rightsFor } from '../access/index.ts';
import type { AccessProvider } from '../platform/index.ts';
import { endScreen, fleet } from './screens.ts';

/** Screens whose key counts. */
export const screenDoors: AccessProvider = {
  kind: 'screen',
  async list(app, person) {
    const all = await fleet(app, person, {});
    const right = rightsFor(app, person);
    const mine = new Set<string>();
    for (const group of new Set(all.map((one) => one.group)))
      if (isAtLeast(await right({ kind: 'screen-group', name: group }), 'edit')) mine.add(group);
    return all
      .filter((one) => one.state !== 'closed')
      .map((one) => ({
        id: one.name,
        title: one.title,
        to: `screen in ${one.group}`,
        of: { kind: 'screen', name: one.name } as const,
        limits:
          Object.entries(one.attributes)
            .map(([name, value]) => `${name} ${value}`)
            .join(', ') || 'its playlists alone',
        madeBy: one.pairedBy,
        madeAt: one.pairedAt,
        lastUsedAt: one.beatAt,
        endsAt: null,
        ending:
          'its picture goes within a second, and what it keeps is deleted; without a network, when its lease ends',
        mayEnd: mine.has(one.group),
      }));
  },
  end: (app, person, id, origin) => endScreen(app, person, id, origin),
};
