import type { Capability } from '../platform/index.ts';
import { mountDirectory } from './routes.ts';

/** What an outside directory speaks: OpenID Connect and SCIM. */
export const directory: Capability = { name: 'directory', mount: mountDirectory };
