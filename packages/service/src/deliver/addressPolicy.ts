import type { App, AddressPolicy } from '../platform/index.ts';

/** Where destinations that people make may be: not this machine, unless whoever runs the service allows it. */
export function destinationPolicy(app: App): AddressPolicy {
  return { allowedPrivateAddresses: app.settings.allowedPrivateAddresses };
}

/** Where the installation's own mail host may be: whoever runs the service says where it is. */
export function operatorPolicy(app: App): AddressPolicy {
  return { allowedPrivateAddresses: app.settings.allowedPrivateAddresses, isOperators: true };
}
