import type { Capability, Handlers } from '../platform/index.ts';
import { calendarRoutes } from './calendarRoutes.ts';
import { followIn, lossesIn, usesIn, workOn } from './references.ts';
import { burstRoutes } from './routes.ts';
import { sendSummary } from './summary.ts';
import { bursts, missedStarts, runs, unsubscribed } from './models.ts';
import { linkDoors } from './activeAccess.ts';

// Only workers load the renderers, and only when there is something to render.
const runJobs: Handlers = { 'burst.run': async (...job) => (await import('./jobs.ts')).runBurstJob(...job) };

/** Filtered copies to lists of recipients. */
export const burst: Capability = {
  name: 'burst',
  doors: [linkDoors],
  models: [bursts, runs, missedStarts, unsubscribed],
  routes: [...calendarRoutes, ...burstRoutes],
  things: [{ kind: 'burst', model: bursts }],
  references: { uses: usesIn, losses: lossesIn, work: workOn, follow: followIn },
  jobs: [
    // Two, so that a small run does not wait behind a large one.
    runJobs,
    runJobs,
    // What starts runs does not wait behind a long load.
    { 'burst.start': async (...job) => (await import('./jobs.ts')).startScheduled(...job) },
  ],
  hears: {
    'dataset.refreshed': async (...job) => (await import('./jobs.ts')).startRefreshed(...job),
    'run.finished': sendSummary,
    'destination.ready': async (...job) => (await import('./jobs.ts')).goOnThere(...job),
  },
  clock: [
    { everyMs: 2_000, work: async (app) => (await import('./due.ts')).startDue(app) },
    { everyMs: 15_000, work: async (app) => (await import('./jobs.ts')).deleteUnusedVersions(app) },
  ],
};
