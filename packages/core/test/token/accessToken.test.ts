import assert from 'node:assert/strict';
import { createHmac } from 'node:crypto';
import { before, describe, it } from 'node:test';
import {
  createLocalJWKSet,
  exportJWK,
  exportSPKI,
  generateKeyPair,
  SignJWT,
  type CryptoKey,
  type JWTVerifyGetKey,
} from 'jose';
import { isRefusal } from '../../src/refusal/index.ts';
import { signAccessToken, verifyAccessToken, type AccessTokenClaims } from '../../src/token/index.ts';

const now = Date.parse('2026-11-23T09:00:00Z');
const iat = now / 1000;
const claims: AccessTokenClaims = {
  iss: 'https://bell.example',
  aud: 'https://bell.example',
  sub: 'portal',
  client_id: 'portal',
  jti: 'j1',
  iat,
  exp: iat + 60,
  authorization_details: [{ type: 'report_view', report: 'punctuality', actions: ['view'] }],
};
const encode = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');

describe('verifyAccessToken', () => {
  let key: { id: string; algorithm: 'ES256'; privateKey: CryptoKey };
  let publicKey: CryptoKey;
  let findKey: JWTVerifyGetKey;
  before(async () => {
    const pair = await generateKeyPair('ES256', { extractable: true });
    key = { id: 'k1', algorithm: 'ES256', privateKey: pair.privateKey };
    publicKey = pair.publicKey;
    findKey = createLocalJWKSet({ keys: [{ ...(await exportJWK(pair.publicKey)), kid: 'k1', alg: 'ES256' }] });
  });
  const verify = (jwt: string, at = now) =>
    verifyAccessToken(jwt, { findKey, issuer: claims.iss, audience: claims.aud, now: at });
  const rejects = (jwt: string, code: 'TOKEN_INVALID' | 'TOKEN_EXPIRED', at = now) =>
    assert.rejects(verify(jwt, at), (error) => isRefusal(error, code));

  it('reads back what was signed', async () => {
    assert.deepEqual(
      (await verify(await signAccessToken(claims, key))).authorization_details,
      claims.authorization_details,
    );
  });

  it('refuses an expired one and one for another issuer or audience', async () => {
    await rejects(await signAccessToken(claims, key), 'TOKEN_EXPIRED', now + 61_000);
    await rejects(await signAccessToken({ ...claims, aud: 'https://else.example' }, key), 'TOKEN_INVALID');
    await rejects(await signAccessToken({ ...claims, iss: 'https://else.example' }, key), 'TOKEN_INVALID');
  });

  it('refuses algorithm none, and HMAC keyed with the public key', async () => {
    await rejects(`${encode({ alg: 'none', typ: 'at+jwt' })}.${encode(claims)}.`, 'TOKEN_INVALID');
    const input = `${encode({ alg: 'HS256', typ: 'at+jwt', kid: 'k1' })}.${encode(claims)}`;
    await rejects(
      `${input}.${createHmac('sha256', await exportSPKI(publicKey))
        .update(input)
        .digest('base64url')}`,
      'TOKEN_INVALID',
    );
  });

  it('refuses changed claims, another type, a foreign key and a missing claim', async () => {
    const [header, , signature] = (await signAccessToken(claims, key)).split('.');
    await rejects(`${header}.${encode({ ...claims, exp: iat + 999_999 })}.${signature}`, 'TOKEN_INVALID');
    await rejects(
      await new SignJWT({ ...claims }).setProtectedHeader({ alg: 'ES256', typ: 'JWT', kid: 'k1' }).sign(key.privateKey),
      'TOKEN_INVALID',
    );
    const other = await generateKeyPair('ES256');
    await rejects(await signAccessToken(claims, { ...key, privateKey: other.privateKey }), 'TOKEN_INVALID');
    const { jti: _, ...rest } = claims;
    await rejects(await signAccessToken(rest as AccessTokenClaims, key), 'TOKEN_INVALID');
    await rejects('not a token', 'TOKEN_INVALID');
  });
});
