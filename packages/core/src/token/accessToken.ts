import { SignJWT, errors, jwtVerify, type CryptoKey, type JWTVerifyGetKey } from 'jose';
import type { ReportViewDetails } from '../access/index.ts';
import { Refusal } from '../refusal/index.ts';

/** The only algorithms that are signed with or accepted. */
export const tokenAlgorithms = ['ES256', 'EdDSA'] as const;
export type TokenAlgorithm = (typeof tokenAlgorithms)[number];

/** The claims of an access token (RFC 9068) with its authorization details (RFC 9396). Times are seconds since 1970-01-01T00:00:00Z. */
export interface AccessTokenClaims<Details = ReportViewDetails> {
  readonly iss: string;
  readonly aud: string;
  readonly sub: string;
  readonly client_id: string;
  readonly jti: string;
  readonly iat: number;
  readonly exp: number;
  readonly scope?: string;
  readonly authorization_details: readonly [Details];
  /** Thumbprint of the key whose holder alone may use the token (RFC 9449, RFC 7638). */
  readonly cnf?: { readonly jkt: string };
}

/** Signs an access token. @see RFC 9068 section 2 */
export async function signAccessToken(
  claims: AccessTokenClaims<unknown>,
  key: { readonly id: string; readonly algorithm: TokenAlgorithm; readonly privateKey: CryptoKey },
): Promise<string> {
  return new SignJWT({ ...claims })
    .setProtectedHeader({ alg: key.algorithm, typ: 'at+jwt', kid: key.id })
    .sign(key.privateKey);
}

/**
 * Verifies signature, type, algorithm, issuer, audience and times of an access token. Whether it was revoked, the caller asks.
 *
 * @param now - milliseconds since 1970-01-01T00:00:00Z
 * @throws {Refusal} `TOKEN_EXPIRED`, `TOKEN_INVALID`
 * @see RFC 8725 sections 3.1, 3.8, 3.9, 3.11
 */
export async function verifyAccessToken<Details = ReportViewDetails>(
  jwt: string,
  options: {
    readonly findKey: JWTVerifyGetKey;
    readonly issuer: string;
    readonly audience: string;
    readonly now: number;
  },
): Promise<AccessTokenClaims<Details>> {
  try {
    const { payload } = await jwtVerify(jwt, options.findKey, {
      algorithms: [...tokenAlgorithms],
      typ: 'at+jwt',
      issuer: options.issuer,
      audience: options.audience,
      currentDate: new Date(options.now),
      requiredClaims: ['exp', 'iat', 'jti', 'client_id', 'authorization_details'],
    });
    return payload as unknown as AccessTokenClaims<Details>;
  } catch (cause) {
    if (cause instanceof errors.JWTExpired) {
      throw new Refusal(
        'TOKEN_EXPIRED',
        'The access token has expired.',
        { hint: 'Request a new one from the token endpoint.' },
        { cause },
      );
    }
    if (!(cause instanceof errors.JOSEError) && !(cause instanceof TypeError)) throw cause;
    throw new Refusal('TOKEN_INVALID', 'The access token is not valid.', {}, { cause });
  }
}
