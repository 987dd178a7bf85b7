import { createHash } from 'node:crypto';

/**
 * The name of a cookie, with the installation in it: browsers keep cookies by host, whatever the port, and two installations
 * of one host would sign each other's people out.
 */
export const cookieName = (publicUrl: string, what: 'session' | 'browser'): string =>
  `underbell_${what}_${createHash('sha256').update(publicUrl).digest('hex').slice(0, 8)}`;
