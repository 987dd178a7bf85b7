import { randomUUID } from 'node:crypto';
import {
  createLocalJWKSet,
  exportJWK,
  generateKeyPair,
  importJWK,
  type CryptoKey,
  type JSONWebKeySet,
  type JWTVerifyGetKey,
} from 'jose';
import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import type { ShownSigningKey, TokenAlgorithm } from '@underbell/core/token';
import { notFound } from '../access/index.ts';
import { remember, perInstance, type App } from '../platform/index.ts';
import { addKey, listKeys, retireKey } from './store.ts';
import type { KeyRow } from './models.ts';

const purpose = 'signing key';
/** How long a process goes by what it read: a retired key is refused everywhere within a second. */
const freshMs = 500;
/** A new key is published this long before it signs, so that whoever keeps the key set has fetched it again. */
const publishedAheadMs = 60_000;
/** Old keys still verify for as long as a token may live. */
export const overlapMs = 24 * 3_600_000;

export interface Keys {
  readonly signing: { readonly id: string; readonly algorithm: TokenAlgorithm; readonly privateKey: CryptoKey };
  readonly find: JWTVerifyGetKey;
  readonly published: JSONWebKeySet;
}

const loaded = new WeakMap<App, { readonly readAt: number; readonly keys: Promise<Keys> }>();
const opened = perInstance(() => new Map<string, Promise<CryptoKey>>());

async function makeKey(app: App, algorithm: TokenAlgorithm, signsFrom: number): Promise<KeyRow> {
  const pair = await generateKeyPair(algorithm, { extractable: true });
  const id = randomUUID();
  const publicJwk = { ...(await exportJWK(pair.publicKey)), kid: id, alg: algorithm, use: 'sig' };
  return {
    id,
    algorithm,
    publicJwk: publicJwk as unknown as Record<string, string>,
    sealedPrivateJwk: app.vault.seal(JSON.stringify(await exportJWK(pair.privateKey)), purpose),
    createdAt: new Date(app.now()),
    signsFrom: new Date(signsFrom),
    retiredAt: null,
  };
}

/** A private key is opened once per process. */
function privateKeyOf(app: App, row: KeyRow): Promise<CryptoKey> {
  const known = opened(app);
  const found =
    known.get(row.id) ??
    (importJWK(JSON.parse(app.vault.open(row.sealedPrivateJwk, purpose)), row.algorithm) as Promise<CryptoKey>);
  known.set(row.id, found);
  return found;
}

async function loadKeys(app: App): Promise<Keys> {
  let rows = await listKeys(app);
  if (!rows.some((row) => row.retiredAt === null || row.retiredAt.getTime() > app.now())) {
    await addKey(app, await makeKey(app, 'ES256', app.now()));
    rows = await listKeys(app);
  }
  const valid = rows.filter((row) => row.retiredAt === null || row.retiredAt.getTime() > app.now());
  // The newest that already signs; rows come newest first.
  const signing = valid.find((row) => row.signsFrom.getTime() <= app.now()) ?? valid.at(-1)!;
  const published = { keys: valid.map((row) => row.publicJwk) } as unknown as JSONWebKeySet;
  return {
    signing: { id: signing.id, algorithm: signing.algorithm, privateKey: await privateKeyOf(app, signing) },
    find: createLocalJWKSet(published),
    published,
  };
}

/** The keys of this installation, made on first use. */
export function signingKeys(app: App): Promise<Keys> {
  const known = loaded.get(app);
  const now = performance.now();
  if (known && now - known.readAt < freshMs) return known.keys;
  const keys = loadKeys(app);
  loaded.set(app, { readAt: now, keys });
  keys.catch(() => loaded.delete(app));
  return keys;
}

function requireAdministrator(person: PersonViewer): void {
  if (!person.isAdministrator) throw new Refusal('NOT_ALLOWED', 'Only administrators can manage signing keys.');
}

export async function showKeys(app: App, person: PersonViewer): Promise<ShownSigningKey<Date>[]> {
  requireAdministrator(person);
  const { signing } = await signingKeys(app);
  return (await listKeys(app)).map(({ id, algorithm, createdAt, signsFrom, retiredAt }) => ({
    id,
    algorithm,
    createdAt,
    signsFrom,
    retiredAt,
    isSigning: id === signing.id,
  }));
}

/**
 * Makes a new signing key. It is published at once and signs a minute later; the ones before it go on verifying for a
 * day, which no token outlives, and then count no more.
 */
export async function rotateKeys(app: App, person: PersonViewer, algorithm: TokenAlgorithm, origin: string) {
  requireAdministrator(person);
  const signsFrom = app.now() + publishedAheadMs;
  const key = await makeKey(app, algorithm, signsFrom);
  const before = (await listKeys(app)).filter((row) => row.retiredAt === null);
  await app.records.transaction(async () => {
    await addKey(app, key);
    for (const old of before) await retireKey(app, old.id, new Date(signsFrom + overlapMs));
    await remember(app, {
      who: person.email,
      what: 'signing key created',
      thing: `key ${key.id}`,
      origin,
      after: { algorithm },
    });
  });
  loaded.delete(app);
  return { id: key.id, algorithm, signsFrom: key.signsFrom };
}

/** Takes a key out at once: every token that it signed is refused from then on. */
export async function dropKey(app: App, person: PersonViewer, id: string, origin: string): Promise<void> {
  requireAdministrator(person);
  if (!(await listKeys(app)).some((row) => row.id === id)) throw notFound('key', id, []);
  await app.records.transaction(async () => {
    await retireKey(app, id, new Date(app.now()));
    await remember(app, { who: person.email, what: 'signing key deleted', thing: `key ${id}`, origin });
  });
  loaded.delete(app);
}
