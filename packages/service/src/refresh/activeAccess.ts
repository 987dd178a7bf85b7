import { isAtLeast } from '@underbell/core/access';
import { rightsOn } from '../access/index.ts';
import { listDatasets } from '../dataset/index.ts';
import type { AccessProvider } from '../platform/index.ts';
import { makeHook } from './triggers.ts';

/** Addresses that load a dataset when they are called, of datasets that somebody may change. */
export const refreshDoors: AccessProvider = {
  kind: 'refresh address',
  async list(app, person) {
    const decide = await rightsOn(app, 'dataset');
    return (await listDatasets(app))
      .filter((one) => one.hookFingerprint !== null && isAtLeast(decide(person, one.name), 'edit'))
      .map((one) => ({
        id: one.name,
        title: `refresh address of ${one.title}`,
        to: 'anyone with the URL',
        of: { kind: 'dataset' as const, name: one.name },
        limits: 'loads the dataset anew; shows nothing',
        madeBy: null,
        madeAt: null,
        lastUsedAt: null,
        endsAt: null,
        ending: 'Calls to this webhook URL are rejected.',
        mayEnd: true,
      }));
  },
  end: (app, person, id, origin) => makeHook(app, person, id, false, origin),
};
