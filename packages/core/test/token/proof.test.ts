import assert from 'node:assert/strict';
import { before, describe, it } from 'node:test';
import { calculateJwkThumbprint, exportJWK, generateKeyPair, SignJWT, type CryptoKey, type JWK } from 'jose';
import { isRefusal } from '../../src/refusal/index.ts';
import { verifyAssertion, verifyProof, type ProofKeys } from '../../src/token/index.ts';

const now = Date.parse('2026-11-29T09:00:00Z');
const iat = now / 1000;
const url = 'https://bell.example/api/v1/screen/heartbeat';

interface Holder {
  readonly privateKey: CryptoKey;
  readonly jwk: JWK;
  readonly secretJwk: JWK;
}

async function holder(algorithm = 'ES256'): Promise<Holder> {
  const { privateKey, publicKey } = await generateKeyPair(algorithm, { extractable: true });
  return { privateKey, jwk: await exportJWK(publicKey), secretJwk: await exportJWK(privateKey) };
}

const proofBy = (
  { privateKey, jwk }: Holder,
  claims: object = {},
  header: { readonly jwk?: JWK; readonly typ?: string; readonly alg?: string } = {},
) =>
  new SignJWT({ htm: 'POST', htu: url, jti: 'p1', iat, ath: 'token', ...claims })
    .setProtectedHeader({ alg: 'ES256', typ: 'dpop+jwt', jwk, ...header })
    .sign(privateKey);

const expected = { method: 'POST', url, now, tokenHash: 'token' };
const isInvalid = (error: unknown) => isRefusal(error, 'PROOF_INVALID');
const encode = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');

describe('verifyProof', () => {
  let own: Holder;
  let other: Holder;
  before(async () => {
    own = await holder();
    other = await holder();
  });

  for (const isKept of [false, true])
    describe(isKept ? 'with keys that were read before' : 'with keys that are read each time', () => {
      const known = isKept ? new Map<string, NonNullable<ReturnType<ProofKeys['get']>>>() : undefined;
      const verify = (proof: string, change: object = {}) => verifyProof(proof, { ...expected, ...change }, known);

      it('says whose key it is, and the name by which it is good once', async () => {
        const found = await verify(await proofBy(own));
        assert.deepEqual(found, { thumbprint: await calculateJwkThumbprint(own.jwk), id: 'p1' });
        const again = await verify(await proofBy(own, { jti: 'p2' }));
        assert.deepEqual(again, { thumbprint: found.thumbprint, id: 'p2' });
      });

      it('takes none that another key signed, however often that key was believed', async () => {
        await verify(await proofBy(own));
        await verify(await proofBy(other));
        await assert.rejects(async () => verify(await proofBy(other, {}, { jwk: own.jwk })), isInvalid);
        const [head, , signature] = (await proofBy(own)).split('.');
        const changed = encode({ htm: 'POST', htu: url, jti: 'p3', iat, ath: 'token' });
        await assert.rejects(verify(`${head}.${changed}.${signature}`), isInvalid);
        // The right key with a coordinate of another.
        const mixed = { ...own.jwk, x: other.jwk.x! };
        for (let i = 0; i < 2; i++)
          await assert.rejects(async () => verify(await proofBy(own, {}, { jwk: mixed })), isInvalid);
      });

      it('takes none that shows a private key, a shared one, or no key', async () => {
        for (let i = 0; i < 2; i++) {
          await assert.rejects(async () => verify(await proofBy(own, {}, { jwk: own.secretJwk })), isInvalid);
          const secret = new TextEncoder().encode('x'.repeat(32));
          const shared = { kty: 'oct', k: Buffer.from(secret).toString('base64url') };
          const signed = await new SignJWT({ htm: 'POST', htu: url, jti: 'p1', iat, ath: 'token' })
            .setProtectedHeader({ alg: 'HS256', typ: 'dpop+jwt', jwk: shared })
            .sign(secret);
          await assert.rejects(verify(signed), isInvalid);
          const none = `${encode({ alg: 'none', typ: 'dpop+jwt', jwk: own.jwk })}.${encode({ htm: 'POST', htu: url, jti: 'p1', iat })}.`;
          await assert.rejects(verify(none), isInvalid);
        }
      });

      it('takes none for another request, another token, another time, or of another kind', async () => {
        for (const claims of [
          { htm: 'GET' },
          { htu: `${url}?all` },
          { htu: url.replace('https', 'http') },
          { ath: 'other' },
          { ath: undefined },
          { jti: 'x'.repeat(201) },
          { jti: undefined },
          { iat: undefined },
          { iat: iat - 120 },
          { iat: iat + 120 },
        ])
          await assert.rejects(async () => verify(await proofBy(own, claims)), isInvalid, JSON.stringify(claims));
        await assert.rejects(async () => verify(await proofBy(own, {}, { typ: 'jwt' })), isInvalid);
        for (const broken of ['', 'a', 'a.b', 'a.b.c', '..', `${encode({})}.${encode({})}.x`, 'é.é.é'])
          await assert.rejects(verify(broken), isInvalid, broken);
      });

      it('does not mind a clock that is a little ahead or behind', async () => {
        for (const off of [-50, 4]) await verify(await proofBy(own, { iat: iat + off }));
      });
    });

  it('keeps no key that was none', async () => {
    const known = new Map<string, NonNullable<ReturnType<ProofKeys['get']>>>();
    const broken = { ...own.jwk, x: 'AAAA' };
    await assert.rejects(async () => verifyProof(await proofBy(own, {}, { jwk: broken }), expected, known), isInvalid);
    assert.equal(known.size, 0);
    await verifyProof(await proofBy(own), expected, known);
    await verifyProof(await proofBy(own, { jti: 'p2' }), expected, known);
    assert.equal(known.size, 1);
  });

  it('knows keys by how they sign, too', async () => {
    const known = new Map<string, NonNullable<ReturnType<ProofKeys['get']>>>();
    await verifyProof(await proofBy(own), expected, known);
    // A key under another name of algorithm is not the key that was read.
    const [, payload, signature] = (await proofBy(own)).split('.');
    const head = encode({ alg: 'ES384', typ: 'dpop+jwt', jwk: own.jwk });
    await assert.rejects(verifyProof(`${head}.${payload}.${signature}`, expected, known), isInvalid);
  });
});

describe('verifyAssertion', () => {
  let own: Holder;
  let other: Holder;
  before(async () => {
    own = await holder();
    other = await holder();
  });
  const assertionBy = ({ privateKey }: Holder, claims: object = {}) =>
    new SignJWT({
      iss: 'portal',
      sub: 'portal',
      aud: 'https://bell.example',
      jti: 'a1',
      exp: iat + 60,
      ...claims,
    })
      .setProtectedHeader({ alg: 'ES256', kid: 'k1' })
      .sign(privateKey);
  const verify = (assertion: string) =>
    verifyAssertion(assertion, {
      clientId: 'portal',
      keys: { keys: [{ ...own.jwk, kid: 'k1', alg: 'ES256' }] },
      audiences: ['https://bell.example', 'https://bell.example/oauth/token'],
      now,
    });

  it('says its one-time name, and when it runs out', async () => {
    assert.deepEqual(await verify(await assertionBy(own)), { id: 'a1', expiresAt: iat + 60 });
    await verify(await assertionBy(own, { aud: 'https://bell.example/oauth/token' }));
  });

  it('takes none of another key, client, audience or time, and none that is good for long', async () => {
    await assert.rejects(
      async () => verify(await assertionBy(other)),
      (error: unknown) => isRefusal(error, 'CLIENT_INVALID'),
    );
    for (const claims of [
      { iss: 'other' },
      { sub: 'other' },
      { aud: 'https://elsewhere.example' },
      { exp: iat - 10 },
      { exp: iat + 3_600 },
      { exp: undefined },
      { jti: undefined },
      { jti: 'x'.repeat(201) },
    ])
      await assert.rejects(
        async () => verify(await assertionBy(own, claims)),
        (error: unknown) => isRefusal(error, 'CLIENT_INVALID'),
        JSON.stringify(claims),
      );
  });
});
