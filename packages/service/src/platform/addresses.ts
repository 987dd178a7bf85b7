import { lookup } from 'node:dns/promises';
import { BlockList, isIP } from 'node:net';

/** Where nothing outside is that is for us, but where clouds and routers keep what is not for us. */
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
] as const) {
  forbidden.addSubnet(network, bits, family);
  // Networks of IPv6 alone reach those of IPv4 through a translator (RFC 6052).
  if (family === 'ipv4') forbidden.addSubnet(`64:ff9b::${network}`, 96 + bits, 'ipv6');
}

/** The addresses of a host; none for one that does not resolve. */
export async function addressesOf(host: string): Promise<string[]> {
  if (isIP(host) !== 0) return [host];
  try {
    return (await lookup(host, { all: true })).map((one) => one.address);
  } catch {
    // What does not resolve is answered like what does not answer.
    return [];
  }
}

const loopback = new BlockList();
loopback.addSubnet('127.0.0.0', 8, 'ipv4');
loopback.addAddress('::1', 'ipv6');
loopback.addSubnet('64:ff9b::7f00:0', 104, 'ipv6');

/** An address of IPv4 within IPv6 is looked at as what it is, however it is written. */
const isIn = (list: BlockList, address: string) => list.check(address, isIP(address) === 6 ? 'ipv6' : 'ipv4');

/** Whether an address lies where nothing of ours may connect to: link-local, multicast, reserved. */
export function isForbiddenAddress(address: string): boolean {
  return isIn(forbidden, address);
}

/** Whether an address is this machine. */
export function isLoopbackAddress(address: string): boolean {
  return isIn(loopback, address);
}
