import type { App, Reach } from '../platform/index.ts';

/** Where destinations that people make may be: not this machine, unless whoever runs the service allows it. */
export function destinationReach(app: App): Reach {
  return { reachable: app.settings.reachable };
}

/** Where the installation's own mail host may be: whoever runs the service says where it is. */
export function operatorsReach(app: App): Reach {
  return { reachable: app.settings.reachable, isOperators: true };
}
