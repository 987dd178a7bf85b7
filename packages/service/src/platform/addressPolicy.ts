import { lookup as resolve, type LookupAddress, type LookupOptions } from 'node:dns';
import { BlockList, isIP, Socket } from 'node:net';
import { Agent, buildConnector, fetch as ask, type RequestInit, type Response } from 'undici';
import { Refusal } from '@underbell/core/refusal';
import { addressesOf, isForbiddenAddress, isLoopbackAddress } from './addresses.ts';

/** Where somebody's connection may not go, though it lies where nothing is forbidden; a reason in words. */
export type Objection = (address: string, port: number) => string | undefined;

/** Places on this machine that whoever runs the service lets people's sources and destinations be at. */
export interface AllowedAddress {
  readonly address: string;
  /** Every port when left out. */
  readonly port?: number;
}

/** What a connection is opened for. */
export interface AddressPolicy {
  readonly allowedPrivateAddresses: readonly AllowedAddress[];
  /** Said by whoever runs the service rather than by a person: this machine is no secret to them. */
  readonly isOperators?: boolean;
  readonly objection?: Objection;
}

const family = (address: string) => (isIP(address) === 6 ? 'ipv6' : 'ipv4');
const bare = (host: string) => host.replace(/^\[|\]$/g, '').replace(/%.*$/, '');

/** The same address however it is written, IPv4 within IPv6 included. */
export function isSameAddress(one: string, other: string): boolean {
  const list = new BlockList();
  list.addAddress(one, family(one));
  return list.check(other, family(other));
}

/** Why an address is not reached for this purpose; undefined where it may be. */
export function rejectAddress(reach: AddressPolicy, address: string, port: number): string | undefined {
  if (isForbiddenAddress(address)) return 'it is in a private network';
  const isAllowed = reach.allowedPrivateAddresses.some(
    (one) => isSameAddress(one.address, address) && (one.port === undefined || one.port === port),
  );
  if (isLoopbackAddress(address) && !isAllowed && reach.isOperators !== true)
    return 'it is this machine; whoever runs the service may allow it by UNDERBELL_ALLOWED_PRIVATE_ADDRESSES';
  return reach.objection?.(address, port);
}

const refuse = (why: string) => new Refusal('ADDRESS_FORBIDDEN', `This address is not allowed: ${why}.`, {});

/**
 * Looks before something is saved whether a host may be reached. What counts is looked at again when the connection is
 * made: a name may point elsewhere by then.
 *
 * @throws {Refusal} `ADDRESS_FORBIDDEN`
 */
export async function checkReach(reach: AddressPolicy, host: string, port: number): Promise<void> {
  for (const address of await addressesOf(bare(host))) {
    const why = rejectAddress(reach, address, port);
    if (why !== undefined) throw refuse(why);
  }
}

type LookupDone = (error: Error | null, address?: string | LookupAddress[], family?: number) => void;

/** Resolves a name to those of its addresses alone that may be reached: the connection goes to one of them and no other. */
function guardedLookup(reach: AddressPolicy, port: number) {
  return (hostname: string, options: LookupOptions, done: LookupDone): void => {
    resolve(hostname, { ...options, all: true }, (error, found) => {
      if (error) return done(error);
      const reasons = found.map(({ address }) => rejectAddress(reach, address, port));
      const open = found.filter((_, i) => reasons[i] === undefined);
      if (open.length === 0) return done(refuse(reasons[0] ?? 'the host name has no address'));
      if (options.all) return done(null, open);
      done(null, open[0]!.address, open[0]!.family);
    });
  };
}

/**
 * A socket that connects where its purpose allows and nowhere else, whoever uses it: the address that it really connects
 * to is looked at, and a path of this machine is none.
 */
export class GuardedSocket extends Socket {
  readonly #reach: AddressPolicy;

  constructor(reach: AddressPolicy) {
    super();
    this.#reach = reach;
  }

  override connect(...given: unknown[]): this {
    const [first, second] = given;
    const options = typeof first === 'object' && first !== null ? (first as { host?: string; port?: number }) : {};
    const port = Number(options.port ?? first);
    const host = bare(String(options.host ?? (typeof second === 'string' ? second : 'localhost')));
    const done = given.find((one) => typeof one === 'function') as (() => void) | undefined;
    const fail = (error: Error) => {
      // As any connection that fails: after whoever asked for it listens.
      setImmediate(() => this.destroy(error));
      return this;
    };
    if (!Number.isInteger(port) || port < 1) return fail(refuse('it is not a network address'));
    const why = isIP(host) === 0 ? undefined : rejectAddress(this.#reach, host, port);
    if (why !== undefined) return fail(refuse(why));
    return super.connect({ host, port, lookup: guardedLookup(this.#reach, port) as never }, done);
  }
}

/** A socket that is connected already. @throws {Refusal} `ADDRESS_FORBIDDEN`, or what the network says */
export function connectGuarded(reach: AddressPolicy, host: string, port: number, timeoutMs: number): Promise<Socket> {
  return new Promise((done, fail) => {
    const socket = new GuardedSocket(reach);
    socket.setTimeout(timeoutMs, () => socket.destroy(new Error('the connection took too long')));
    socket.once('error', fail);
    socket.connect(port, host, () => {
      socket.setTimeout(0);
      socket.off('error', fail);
      done(socket);
    });
  });
}

const connectMs = 10_000;

function agentFor(reach: AddressPolicy): Agent {
  return new Agent({
    connect(options, done) {
      const host = bare(options.hostname);
      const port = Number(options.port || (options.protocol === 'https:' ? 443 : 80));
      const why = isIP(host) === 0 ? undefined : rejectAddress(reach, host, port);
      if (why !== undefined) return done(refuse(why), null);
      buildConnector({ timeout: connectMs, lookup: guardedLookup(reach, port) as never })(options, done);
    },
  });
}

/** The refusal behind what a library threw, where one of ours stopped it. */
export function guardRefusal(cause: unknown): Refusal | undefined {
  for (let at = cause, depth = 0; at !== undefined && at !== null && depth < 6; depth++) {
    if (at instanceof Refusal) return at;
    at = (at as { cause?: unknown }).cause;
  }
  return undefined;
}

/** Asks by HTTP within a reach; follows no redirection. @throws {Refusal} `ADDRESS_FORBIDDEN`, or what the network says */
export class GuardedHttp {
  readonly #agent: Agent;

  constructor(reach: AddressPolicy) {
    this.#agent = agentFor(reach);
  }

  async ask(url: string, options: RequestInit): Promise<Response> {
    try {
      return await ask(url, { ...options, redirect: 'error', dispatcher: this.#agent });
    } catch (cause) {
      throw guardRefusal(cause) ?? cause;
    }
  }

  async close(): Promise<void> {
    await this.#agent.close();
  }
}
