import { createRemoteJWKSet, customFetch, errors, jwtVerify, type JWTVerifyGetKey } from 'jose';
import type { PersonViewer } from '@underbell/core/access';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { findPerson } from '../access/index.ts';
import { GuardedHttp, type App } from '../platform/index.ts';
import { directory, personBehind } from './signIn.ts';

/** What directories sign with; none of it is a secret that a host could hold as well. */
const algorithms = [
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
  'ES256',
  'ES384',
  'ES512',
  'EdDSA',
  'Ed25519',
];
const clockToleranceSeconds = 5;

interface Issuer {
  readonly issuer: string;
  readonly keys: JWTVerifyGetKey;
}
const known = new WeakMap<App, Issuer>();

/** The directory's name and its keys, which are fetched anew when it signs with another. */
async function issuerOf(app: App): Promise<Issuer> {
  const found = known.get(app);
  if (found) return found;
  const { issuer, jwks_uri: address } = (await directory(app)).serverMetadata();
  if (address === undefined) throw new Refusal('GRANT_UNSUPPORTED', 'The identity provider does not publish its keys.');
  const http = new GuardedHttp({ allowedPrivateAddresses: app.settings.allowedPrivateAddresses, isOperators: true });
  const fetched = (url: string, options: RequestInit) => http.ask(url, options as never) as never;
  const made = { issuer, keys: createRemoteJWKSet(new URL(address), { [customFetch]: fetched }) };
  known.set(app, made);
  app.atClose.add(() => http.close());
  return made;
}

const invalid = (cause?: unknown) =>
  new Refusal(
    'TOKEN_INVALID',
    'The ID token does not identify a user for this client.',
    {
      hint: 'Send the ID token that the identity provider issued for this client, before it expires.',
    },
    { cause },
  );

/**
 * The person that the common directory says somebody is who signed in to another program.
 *
 * @param audience - by which the directory knows that program: a token for another is none
 * @throws {Refusal} `TOKEN_INVALID`, `SSO_REJECTED` for who is not known here, `DESTINATION_UNREACHABLE`
 * @see OpenID Connect Core 1.0, section 3.1.3.7
 */
export async function personOfIdToken(app: App, idToken: string, audience: string): Promise<PersonViewer> {
  try {
    const { issuer, keys } = await issuerOf(app);
    const options = {
      issuer,
      audience,
      algorithms,
      clockTolerance: clockToleranceSeconds,
      requiredClaims: ['sub', 'iat', 'exp'],
    };
    const { payload, protectedHeader } = await jwtVerify(idToken, keys, {
      ...options,
      currentDate: new Date(app.now()),
    });
    const { aud, azp, sub } = payload as typeof payload & { azp?: unknown };
    // What the directory gave for several, it gave to the one that it names; an access token is for programs, and names nobody.
    const isOthers =
      (Array.isArray(aud) && aud.length > 1 && azp === undefined) || (azp !== undefined && azp !== audience);
    if (isOthers || protectedHeader.typ?.toLowerCase() === 'at+jwt') throw invalid();
    const row = await personBehind(app, { ...payload, sub: sub! });
    const person = await findPerson(app, { id: row.id });
    if (!person) throw invalid();
    return person;
  } catch (error) {
    if (isRefusal(error)) throw error;
    if (error instanceof errors.JOSEError && !(error instanceof errors.JWKSTimeout)) throw invalid(error);
    throw new Refusal('DESTINATION_UNREACHABLE', 'The identity provider is not reachable.', {}, { cause: error });
  }
}
