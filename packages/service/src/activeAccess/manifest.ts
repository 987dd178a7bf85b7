import type { Capability } from '../platform/index.ts';
import { openRoutes } from './routes.ts';

/** Everything that was handed out and still opens something, on one list. */
export const activeAccess: Capability = { name: 'activeAccess', routes: openRoutes };
