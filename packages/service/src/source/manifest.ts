import type { Capability } from '../platform/index.ts';
import { sourceRoutes } from './routes.ts';
import { sources } from './models.ts';

/** Databases that rows are read from. */
export const source: Capability = {
  name: 'source',
  models: [sources],
  routes: sourceRoutes,
  things: [{ kind: 'source', model: sources }],
};
