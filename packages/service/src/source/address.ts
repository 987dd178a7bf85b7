import { lookup } from 'node:dns/promises';
import { BlockList, isIP } from 'node:net';
import { Refusal } from '@underbell/core/refusal';
import type { Settings } from '../platform/index.ts';

/** Where no source of data is, but where clouds and routers keep what is not for us. */
const forbidden = new BlockList();
for (const [network, bits, family] of [
  ['0.0.0.0', 8, 'ipv4'],
  ['169.254.0.0', 16, 'ipv4'],
  ['224.0.0.0', 4, 'ipv4'],
  ['240.0.0.0', 4, 'ipv4'],
  ['::', 128, 'ipv6'],
  ['fe80::', 10, 'ipv6'],
  ['ff00::', 8, 'ipv6'],
  ['fd00:ec2::', 32, 'ipv6'],
] as const)
  forbidden.addSubnet(network, bits, family);

const allowedOptions: readonly string[] = ['sslmode'];

async function addressesOf(host: string): Promise<string[]> {
  if (isIP(host) !== 0) return [host];
  try {
    return (await lookup(host, { all: true })).map((one) => one.address);
  } catch {
    // What does not resolve is answered like what does not answer.
    return [];
  }
}

function isForbidden(address: string): boolean {
  const mapped = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1];
  if (mapped !== undefined) return forbidden.check(mapped, 'ipv4');
  return forbidden.check(address, isIP(address) === 6 ? 'ipv6' : 'ipv4');
}

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
  if (addresses.some(isForbidden)) throw refuse('it lies in a network that is not for data');
  const own = new URL(settings.databaseUrl);
  const ownAddresses = new Set(await addressesOf(bareHost(own)));
  if (databaseOf(url) === databaseOf(own) && addresses.some((one) => ownAddresses.has(one)))
    throw refuse('it is the service’s own database');
}
