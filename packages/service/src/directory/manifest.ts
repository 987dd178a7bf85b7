import type { Capability } from '../platform/index.ts';
import { mountDirectory } from './routes.ts';
import { signIns } from './models.ts';
import { directoryDoors } from './activeAccess.ts';

/** What an outside directory speaks: OpenID Connect and SCIM. */
export const directory: Capability = {
  name: 'directory',
  doors: [directoryDoors],
  models: [signIns],
  mount: mountDirectory,
  personBehind: async (app, idToken, audience) =>
    (await import('./idTokens.ts')).personOfIdToken(app, idToken, audience),
};
