import type { Capability } from '../platform/index.ts';
import { sweepFiles } from './files.ts';
import { media as mediaModel, mediaVersions } from './models.ts';
import { mediaRoutes } from './routes.ts';

const sweepMs = 30 * 60_000;

/** Pictures and videos that are shown beside reports. */
export const media: Capability = {
  name: 'media',
  models: [mediaModel, mediaVersions],
  routes: mediaRoutes,
  things: [{ kind: 'media', model: mediaModel }],
  clock: [{ everyMs: sweepMs, work: sweepFiles }],
};
