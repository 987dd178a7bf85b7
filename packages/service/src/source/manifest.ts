import type { Capability } from '../platform/index.ts';
import { sourceRoutes } from './routes.ts';

/** Databases that rows are read from. */
export const source: Capability = {
  name: 'source',
  routes: sourceRoutes,
  things: [{ kind: 'source', table: 'sources' }],
};
