import type { Capability } from '../platform/index.ts';
import { refreshRoutes } from './routes.ts';
import { uploads } from './models.ts';
import { refreshDoors } from './activeAccess.ts';

/** Datasets loaded anew: by hand, by schedule, by a call, from a file. */
export const refresh: Capability = {
  name: 'refresh',
  doors: [refreshDoors],
  models: [uploads],
  routes: refreshRoutes,
  jobs: [{ 'dataset.refresh': async (of, job) => (await import('./jobs.ts')).refreshJob(of, job) }],
  clock: [
    { everyMs: 2_000, work: async (app) => (await import('./jobs.ts')).enqueueDue(app) },
    { everyMs: 2_000, work: async (app) => (await import('./jobs.ts')).checkSources(app) },
    { everyMs: 15_000, work: async (app) => (await import('./jobs.ts')).dropOldUploads(app) },
  ],
};
