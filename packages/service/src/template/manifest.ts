import type { Capability } from '../platform/index.ts';
import { templateRoutes } from './routes.ts';

/** Prepared workbooks that copies fill. */
export const template: Capability = {
  name: 'template',
  routes: templateRoutes,
  things: [{ kind: 'template', table: 'templates' }],
};
