import type { Capability } from '../platform/index.ts';
import { templateRoutes } from './routes.ts';
import { templates } from './models.ts';

/** Prepared workbooks that copies fill. */
export const template: Capability = {
  name: 'template',
  models: [templates],
  routes: templateRoutes,
  things: [{ kind: 'template', model: templates }],
};
