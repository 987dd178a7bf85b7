import type { App, Capability, AccessProvider, Named } from '../platform/index.ts';
import { followedFiles } from './models.ts';
import { followRoutes } from './routes.ts';
import { changeFollowed, listFollowed } from './store.ts';
import { makeFollowHook } from './usecases.ts';

/** A file goes on with what it became under its new name. */
async function followName(app: App, { kind, name }: Named, to: string): Promise<void> {
  for (const one of await listFollowed(app))
    if (one.kind === kind && one.thingName === name) await changeFollowed(app, { name: one.name }, { thingName: to });
}

/** Addresses that have a file looked at when they are called. */
const hooks: AccessProvider = {
  kind: 'follow address',
  list: async (app, person) =>
    (await listFollowed(app))
      .filter((one) => one.hookFingerprint !== null && (person.isAdministrator || one.ownerId === person.id))
      .map((one) => ({
        id: one.name,
        title: `follow address of ${one.name}`,
        to: 'anyone with the URL',
        ...(one.thingName === null ? {} : { of: { kind: one.kind, name: one.thingName } }),
        limits: 'has the file looked at; shows nothing',
        madeBy: null,
        madeAt: null,
        lastUsedAt: null,
        endsAt: null,
        ending: 'calls to it do nothing any more',
        mayEnd: true,
      })),
  end: (app, person, id, origin) => makeFollowHook(app, person, id, false, origin),
};

/** Reports, boards and rows that lie in a file library, followed by their address. */
export const sync: Capability = {
  name: 'sync',
  models: [followedFiles],
  routes: followRoutes,
  references: { follow: followName },
  doors: [hooks],
  jobs: [{ 'follow.check': async (app, job) => (await import('./jobs.ts')).followJob(app, job) }],
  clock: [
    { everyMs: 2_000, work: async (app) => (await import('./jobs.ts')).enqueueDueFiles(app) },
    { everyMs: 15_000, work: async (app) => (await import('./jobs.ts')).tryAhead(app) },
  ],
};
