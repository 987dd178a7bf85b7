import {
  calculateJwkThumbprint,
  createLocalJWKSet,
  EmbeddedJWK,
  errors,
  jwtVerify,
  type CryptoKey,
  type FlattenedJWSInput,
  type JSONWebKeySet,
  type JWSHeaderParameters,
} from 'jose';
import { Refusal } from '../refusal/index.ts';
import { tokenAlgorithms } from './accessToken.ts';

/** A proof may be this old, and this far ahead of our clock. */
const maxAgeSeconds = 60;

async function verified<T>(what: string, code: 'PROOF_INVALID' | 'CLIENT_INVALID', work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (cause) {
    // A key that is none, such as a point beside its curve, is told of by the platform's own error.
    if (![errors.JOSEError, TypeError, DOMException].some((one) => cause instanceof one)) throw cause;
    throw new Refusal(code, `The ${what} is not valid.`, {}, { cause });
  }
}

interface ProofKey {
  readonly key: CryptoKey;
  readonly thumbprint: string;
}

/** Keys of proofs that were read before, by how they stood there: those who come again and again are not read anew. */
export interface ProofKeys {
  get(written: string): Promise<ProofKey> | undefined;
  set(written: string, key: Promise<ProofKey>): unknown;
  delete(written: string): unknown;
}

async function readKey(header: JWSHeaderParameters | undefined, token: FlattenedJWSInput): Promise<ProofKey> {
  const key = await EmbeddedJWK(header, token);
  return { key, thumbprint: await calculateJwkThumbprint(header!.jwk!) };
}

function keyIn(known: ProofKeys | undefined, header: JWSHeaderParameters | undefined, token: FlattenedJWSInput) {
  if (!known) return readKey(header, token);
  const written = JSON.stringify([header?.alg, header?.jwk]);
  const found = known.get(written);
  if (found) return found;
  const read = readKey(header, token);
  known.set(written, read);
  // One that is none is refused each time it comes.
  read.catch(() => known.delete(written));
  return read;
}

/**
 * Verifies a proof of possession of a key.
 *
 * @param expected - the request it must be for; `tokenHash` where a token is used rather than asked for
 * @param known - keys that were read before
 * @returns the key's thumbprint and the proof's one-time name, which the caller must not see twice
 * @throws {Refusal} `PROOF_INVALID`
 * @see RFC 9449 section 4.3
 */
export async function verifyProof(
  proof: string,
  expected: { readonly method: string; readonly url: string; readonly now: number; readonly tokenHash?: string },
  known?: ProofKeys,
): Promise<{ thumbprint: string; id: string }> {
  let proven: ProofKey | undefined;
  const keyOf = async (header: JWSHeaderParameters | undefined, token: FlattenedJWSInput) =>
    (proven = await keyIn(known, header, token)).key;
  const { payload } = await verified('proof of possession', 'PROOF_INVALID', () =>
    jwtVerify(proof, keyOf, {
      algorithms: [...tokenAlgorithms],
      typ: 'dpop+jwt',
      maxTokenAge: maxAgeSeconds,
      clockTolerance: 5,
      currentDate: new Date(expected.now),
      requiredClaims: ['jti', 'htm', 'htu', 'iat'],
    }),
  );
  const fits =
    payload['htm'] === expected.method &&
    payload['htu'] === expected.url &&
    typeof payload.jti === 'string' &&
    payload.jti.length <= 200 &&
    (expected.tokenHash === undefined || payload['ath'] === expected.tokenHash);
  if (!fits) throw new Refusal('PROOF_INVALID', 'The DPoP proof is for another request or token.');
  return { thumbprint: proven!.thumbprint, id: payload.jti! };
}

/**
 * Verifies a client's assertion, signed with its own key.
 *
 * @returns its one-time name and the second at which it runs out
 * @throws {Refusal} `CLIENT_INVALID`
 * @see RFC 7523 section 3
 */
export async function verifyAssertion(
  assertion: string,
  expected: {
    readonly clientId: string;
    readonly keys: JSONWebKeySet;
    readonly audiences: readonly string[];
    readonly now: number;
  },
): Promise<{ id: string; expiresAt: number }> {
  const { payload } = await verified('client assertion', 'CLIENT_INVALID', () =>
    jwtVerify(assertion, createLocalJWKSet(expected.keys), {
      algorithms: [...tokenAlgorithms],
      issuer: expected.clientId,
      subject: expected.clientId,
      audience: [...expected.audiences],
      currentDate: new Date(expected.now),
      clockTolerance: 5,
      requiredClaims: ['exp', 'jti'],
    }),
  );
  const lifetime = payload.exp! - expected.now / 1000;
  if (typeof payload.jti !== 'string' || payload.jti.length > 200 || lifetime > 600)
    throw new Refusal(
      'CLIENT_INVALID',
      'The client assertion needs a short “jti” and a lifetime of at most ten minutes.',
    );
  return { id: payload.jti, expiresAt: payload.exp! };
}
