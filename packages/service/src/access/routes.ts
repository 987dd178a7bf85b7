import type { Route } from '../platform/index.ts';
import { peopleRoutes } from './peopleRoutes.ts';
import { requestRoutes } from './requestRoutes.ts';
import { auditRoutes } from './auditRoutes.ts';
import { sessionRoutes } from './sessionRoutes.ts';

/** Sessions, people, groups, rights and requests. */
export const accessRoutes: Route[] = [...sessionRoutes, ...peopleRoutes, ...requestRoutes, ...auditRoutes];
