import type { Capability } from '../platform/index.ts';
import { viewRoutes } from './routes.ts';

/** A page as its viewer may see it. */
export const view: Capability = { name: 'view', routes: viewRoutes };
