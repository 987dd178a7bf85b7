import type { App, AddressPolicy } from '../platform/index.ts';

/** Where destinations that people make may be: not this machine, unless whoever runs the service allows it. */
export function destinationPolicy(app: App): AddressPolicy {
  return { reachable: app.settings.reachable };
}

/** Where the installation's own mail host may be: whoever runs the service says where it is. */
export function operatorPolicy(app: App): AddressPolicy {
  return { reachable: app.settings.reachable, isOperators: true };
}
