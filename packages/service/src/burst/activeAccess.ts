import { isAtLeast } from '@underbell/core/access';
import { rightsOn } from '../access/index.ts';
import { livingLinks } from '../deliver/index.ts';
import type { AccessProvider } from '../platform/index.ts';
import { recallLinks } from './downloads.ts';
import { requireRun } from './runs.ts';
import { findRuns } from './store.ts';

/** Links to files of copies that still hold, run by run, of bursts that somebody may change. */
export const linkDoors: AccessProvider = {
  kind: 'links of copies',
  async list(app, person) {
    const living = await livingLinks(app);
    const runs = await findRuns(app, [...living.keys()]);
    const decide = await rightsOn(app, 'burst');
    return runs
      .filter((one) => isAtLeast(decide(person, one.burstName), 'edit'))
      .map((run) => {
        const { count, fetchedAt, expiresAt, needsSignIn } = living.get(run.id)!;
        return {
          id: String(run.id),
          title: `${count} links of run ${run.id}`,
          to: needsSignIn ? 'the recipients, signed in' : 'anyone with the link',
          of: { kind: 'burst' as const, name: run.burstName },
          limits: `copies for ${run.occurrence}`,
          madeBy: null,
          madeAt: run.createdAt,
          lastUsedAt: fetchedAt,
          endsAt: expiresAt,
          ending: 'its recipients fetch nothing any more; letters that carry files keep them',
          mayEnd: true,
        };
      });
  },
  end: async (app, person, id, origin) =>
    recallLinks(app, person, await requireRun(app, person, Number(id) || 0), { origin }),
};
