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
import { tokenAlgorithm } from '@underbell/core/token';
import type { App } from '../platform/index.ts';
import { addKey, listKeys } from './store.ts';

const purpose = 'signing key';

interface Keys {
  readonly signing: { readonly id: string; readonly privateKey: CryptoKey };
  readonly find: JWTVerifyGetKey;
  readonly published: JSONWebKeySet;
}

const loaded = new WeakMap<App, Promise<Keys>>();

async function loadKeys(app: App): Promise<Keys> {
  let rows = await listKeys(app);
  if (rows.length === 0) {
    const pair = await generateKeyPair(tokenAlgorithm, { extractable: true });
    const id = randomUUID();
    const publicJwk = {
      ...(await exportJWK(pair.publicKey)),
      kid: id,
      alg: tokenAlgorithm,
      use: 'sig',
    } as unknown as Record<string, string>;
    const sealedPrivateJwk = app.vault.seal(JSON.stringify(await exportJWK(pair.privateKey)), purpose);
    await addKey(app, { id, publicJwk, sealedPrivateJwk, createdAt: new Date(app.now()) });
    rows = await listKeys(app);
  }
  const [newest] = rows;
  const privateKey = (await importJWK(
    JSON.parse(app.vault.open(newest!.sealedPrivateJwk, purpose)),
    tokenAlgorithm,
  )) as CryptoKey;
  const published = { keys: rows.map((row) => row.publicJwk) } as unknown as JSONWebKeySet;
  return { signing: { id: newest!.id, privateKey }, find: createLocalJWKSet(published), published };
}

/** The keys of this installation, made on first use and kept for the process. */
export function signingKeys(app: App): Promise<Keys> {
  const known = loaded.get(app) ?? loadKeys(app);
  loaded.set(app, known);
  known.catch(() => loaded.delete(app));
  return known;
}
