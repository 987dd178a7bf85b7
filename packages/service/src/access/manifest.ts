import type { Capability } from '../platform/index.ts';
import { followGrants, forgetGrants } from './grantStore.ts';
import { accessRoutes } from './routes.ts';
import { accessModels, attributes, groups } from './models.ts';
import { accessDoors } from './doors.ts';

/** Sessions, people, groups, rights and requests. */
export const access: Capability = {
  name: 'access',
  doors: accessDoors,
  models: accessModels,
  named: [
    { kind: 'group', model: groups },
    { kind: 'attribute', model: attributes },
  ],
  routes: accessRoutes,
  references: { follow: followGrants, forget: forgetGrants },
};
