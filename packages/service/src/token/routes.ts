import type { Route } from '../platform/index.ts';
import { clientRoutes } from './clientRoutes.ts';
import { endpointRoutes } from './endpointRoutes.ts';

/** The OAuth endpoints, and what people see of clients, tokens and keys. */
export const tokenRoutes: Route[] = [...endpointRoutes, ...clientRoutes];
