import { enqueue, originSets, type App, type Capability, type Named, type ThingId } from '../platform/index.ts';
import { grantMemberAccess } from './channelAccess.ts';
import { chatDoors } from './activeAccess.ts';
import { channelModels, chats } from './models.ts';
import { channelRoutes } from './routes.ts';
import { mountChats } from './serverRoutes.ts';
import { findTab } from './store.ts';

/** A tab's address in its chat says its placement's name. */
async function follow(app: App, { kind, name }: Named, to: string): Promise<void> {
  // The database has followed already, or is about to.
  if (kind !== 'placement' || !((await findTab(app, to)) ?? (await findTab(app, name)))) return;
  await enqueue(app, 'channel.tab', { placement: to });
}

/** A tab goes with its placement: the database has noted what is to be taken out of the chat. */
async function forget(app: App, { kind }: ThingId): Promise<void> {
  if (kind === 'placement' || kind === 'report' || kind === 'board') await enqueue(app, 'channel.clear', {});
}

/** Team chats: tabs in their channels for exactly their members. */
export const channel: Capability = {
  name: 'channel',
  framers: (app) => originSets(app, chats),
  models: channelModels,
  routes: channelRoutes,
  mount: mountChats,
  admits: grantMemberAccess,
  doors: [chatDoors],
  references: { follow, forget },
  hears: {
    'report.published': async (app, job) => (await import('./jobs.ts')).hearEdition(app, job),
    'dataset.refreshed': async (app, job) => (await import('./jobs.ts')).hearData(app, job),
    'run.finished': async (app, job) => (await import('./jobs.ts')).hearRun(app, job),
  },
  jobs: [
    {
      'channel.join': async (app, job) => (await import('./jobs.ts')).joinJob(app, job),
      'channel.compare': async (app, job) => (await import('./jobs.ts')).compareJob(app, job),
    },
    {
      'channel.tab': async (app, job) => (await import('./jobs.ts')).tabJob(app, job),
      'channel.clear': async (app) => (await import('./jobs.ts')).clearTabs(app),
    },
    { 'channel.tell': async (app, job) => (await import('./jobs.ts')).tellJob(app, job) },
  ],
  clock: [
    { everyMs: 2_000, work: async (app) => void (await (await import('./syncChats.ts')).syncChats(app)) },
    { everyMs: 60_000, work: async (app) => (await import('./jobs.ts')).clearTabs(app) },
  ],
};
