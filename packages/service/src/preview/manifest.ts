import type { Capability } from '../platform/index.ts';
import { seeRoutes } from './routes.ts';

/** What somebody else would see, and why. */
export const preview: Capability = { name: 'preview', routes: seeRoutes };
