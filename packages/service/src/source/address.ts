import { Refusal } from '@underbell/core/refusal';
import { checkReach, isSameAddress, type AddressPolicy, type Settings } from '../platform/index.ts';
import { addressesOf } from '../platform/addresses.ts';

const allowedOptions: readonly string[] = ['sslmode'];

interface DatabaseHost {
  readonly host: string;
  readonly port: number;
  readonly database: string;
}

/** Where an address leads, as the driver reads it. */
function hostOf(url: URL): DatabaseHost {
  const database = decodeURIComponent(url.pathname.replace(/^\//, '')) || decodeURIComponent(url.username);
  return { host: decodeURIComponent(url.hostname).replace(/^\[|\]$/g, ''), port: Number(url.port || 5432), database };
}

/**
 * What a source may be reached at. Networks inside the house may: that is where databases are. This machine may where
 * whoever runs the service says so; link-local addresses, where clouds hand out credentials, and the service's own records
 * may not.
 */
export async function sourceReach(settings: Settings, text: string): Promise<AddressPolicy> {
  const { port, database } = hostOf(new URL(text));
  const own = hostOf(new URL(settings.databaseUrl));
  const ownAddresses = await addressesOf(own.host);
  return {
    allowedPrivateAddresses: settings.allowedPrivateAddresses,
    objection: (address) =>
      database === own.database && port === own.port && ownAddresses.some((one) => isSameAddress(one, address))
        ? 'it is the service’s own database'
        : undefined,
  };
}

/**
 * Looks whether a source's address may be reached, before it is saved or used.
 *
 * @throws {Refusal} `ADDRESS_FORBIDDEN`
 */
export async function checkSourceAddress(settings: Settings, text: string): Promise<void> {
  const refuse = (why: string) =>
    new Refusal('ADDRESS_FORBIDDEN', `This address is not allowed for a data source: ${why}.`, { pointer: '/url' });
  const url = new URL(text);
  // An option of the address could send the connection elsewhere than its host says.
  const option = [...url.searchParams.keys()].find((name) => !allowedOptions.includes(name));
  if (option !== undefined) throw refuse(`the option “${option}” is not allowed`);
  const { host, port } = hostOf(url);
  if (host === '') throw refuse('it names no host');
  if (host.includes('/') || host.startsWith('@')) throw refuse('it is a path of this machine');
  await checkReach(await sourceReach(settings, text), host, port);
}
