import type { Capability } from '../platform/index.ts';
import { operationsRoutes } from './routes.ts';

/** What an operator looks at: processes, and jobs that failed. */
export const operations: Capability = { name: 'operations', routes: operationsRoutes };
