import { Refusal } from '@underbell/core/refusal';
import { addressesOf, isForbiddenAddress, type Settings } from '../platform/index.ts';

const allowedOptions: readonly string[] = ['sslmode'];

const bareHost = (url: URL) => url.hostname.replace(/^\[|\]$/g, '');
const databaseOf = (url: URL) => `${url.port || '5432'}${url.pathname}`;

/**
 * Whether a source may be reached. Networks inside the house may: that is where databases are. Link-local addresses,
 * where clouds hand out credentials, and the service's own records may not.
 *
 * @throws {Refusal} `ADDRESS_FORBIDDEN`
 */
export async function checkSourceAddress(settings: Settings, text: string): Promise<void> {
  const refuse = (why: string) =>
    new Refusal('ADDRESS_FORBIDDEN', `this address may not be a source: ${why}`, { pointer: '/url' });
  const url = new URL(text);
  // An option of the address could send the connection elsewhere than its host says.
  const option = [...url.searchParams.keys()].find((name) => !allowedOptions.includes(name));
  if (option !== undefined) throw refuse(`the option \`${option}\` is not allowed in it`);
  const host = bareHost(url);
  if (host === '') throw refuse('it names no host');
  const addresses = await addressesOf(host);
  if (addresses.some(isForbiddenAddress)) throw refuse('it lies in a network that is not for data');
  const own = new URL(settings.databaseUrl);
  const ownAddresses = new Set(await addressesOf(bareHost(own)));
  if (databaseOf(url) === databaseOf(own) && addresses.some((one) => ownAddresses.has(one)))
    throw refuse('it is the service’s own database');
}
