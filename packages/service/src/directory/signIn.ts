import * as oidc from 'openid-client';
import { Op } from 'sequelize';
import { Refusal } from '@underbell/core/refusal';
import { changePerson, findPerson, findPersonRow, startSession, type PersonRow } from '../access/index.ts';
import { fingerprint, GuardedHttp, plain, remember, type App } from '../platform/index.ts';
import { signIns } from './models.ts';

const pendingMs = 10 * 60_000;
const timeoutSeconds = 10;
const purpose = 'sign-in';

interface Pending {
  readonly verifier: string;
  readonly nonce: string;
  readonly returnTo: string;
}

/** Where a frame comes back to that went to the directory without a word: an empty page of this service. */
export const silentPath = '/sign-in/silent';

const found = new WeakMap<App, Promise<oidc.Configuration>>();

/** The directory's own description, fetched once. */
export function directory(app: App): Promise<oidc.Configuration> {
  const { directory: settings } = app.settings;
  if (!settings) throw new Refusal('NOT_FOUND', 'This installation has no single sign-on.');
  const known = found.get(app);
  if (known) return known;
  const http = new GuardedHttp({ allowedPrivateAddresses: app.settings.allowedPrivateAddresses, isOperators: true });
  // Without TLS only on this machine, where the stand-in is.
  const isLocal = new URL(settings.issuer).protocol === 'http:';
  const made = oidc.discovery(new URL(settings.issuer), settings.clientId, settings.clientSecret, undefined, {
    timeout: timeoutSeconds,
    execute: isLocal ? [oidc.allowInsecureRequests] : [],
    [oidc.customFetch]: (url, options) => http.ask(url, options as never) as never,
  });
  found.set(app, made);
  made.catch(() => found.delete(app));
  return made;
}

const refused = (cause?: unknown) => new Refusal('SSO_REJECTED', 'Single sign-on failed. Try again.', {}, { cause });

/** A path of this service, and nothing that a browser would take elsewhere. */
export function localPath(text: string | undefined): string {
  const isLocal = text !== undefined && /^\/(?![/\\])[\w\-./?=&%~+,:@'()*!$;]*$/.test(text);
  return isLocal ? text : '/console';
}

const backUrl = (app: App) => `${app.settings.publicUrl}/sign-in/sso/callback`;

/**
 * Begins to sign in with the directory.
 *
 * @param isSilent - without a word: for frames
 * @returns the address to go to and the state, which the browser keeps in a cookie so that nobody else's answer is taken
 * @see RFC 7636 (PKCE), OpenID Connect Core section 3.1
 */
export async function beginSignIn(
  app: App,
  returnTo: string | undefined,
  isSilent = false,
): Promise<{ url: string; state: string }> {
  const config = await directory(app).catch((cause: unknown) => {
    if (cause instanceof Refusal) throw cause;
    throw new Refusal('DESTINATION_UNREACHABLE', 'The identity provider is not reachable.', {}, { cause });
  });
  const [verifier, state, nonce] = [oidc.randomPKCECodeVerifier(), oidc.randomState(), oidc.randomNonce()];
  const pending: Pending = { verifier, nonce, returnTo: isSilent ? silentPath : localPath(returnTo) };
  await signIns(app).destroy({ where: { expiresAt: { [Op.lt]: new Date(app.now()) } } });
  await signIns(app).create({
    state: fingerprint(state),
    sealed: app.vault.seal(JSON.stringify(pending), purpose),
    expiresAt: new Date(app.now() + pendingMs),
  });
  const url = oidc.buildAuthorizationUrl(config, {
    redirect_uri: backUrl(app),
    scope: 'openid email profile',
    code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
    code_challenge_method: 'S256',
    state,
    nonce,
    // It asks for nothing then: whoever is not known to it comes back unknown.
    ...(isSilent ? { prompt: 'none' } : {}),
  });
  return { url: url.href, state };
}

/** What was begun under a state, once. */
async function takePending(app: App, state: string): Promise<Pending> {
  const row = await signIns(app).findByPk(fingerprint(state));
  const isMine = row !== null && (await signIns(app).destroy({ where: { state: fingerprint(state) } })) === 1;
  if (!row || !isMine || plain(row).expiresAt.getTime() < app.now()) throw refused();
  return JSON.parse(app.vault.open(plain(row).sealed, purpose)) as Pending;
}

/**
 * The person behind the directory's answer: linked before, or kept by the directory under the same verified address.
 * People who are kept here are never taken over by an address.
 */
export async function personBehind(
  app: App,
  claims: { sub: string; email?: unknown; email_verified?: unknown },
): Promise<PersonRow> {
  const linked = await findPersonRow(app, { directorySubject: claims.sub });
  if (linked) return linked;
  const email = claims.email_verified === true && typeof claims.email === 'string' ? claims.email : undefined;
  const row = email === undefined ? undefined : await findPersonRow(app, { email });
  if (row?.origin === 'directory' && row.directorySubject === null) return row;
  throw new Refusal('SSO_REJECTED', 'Your account is not set up in Under Bell.', {
    hint: 'Ask your identity provider administrator to assign you.',
  });
}

/**
 * Finishes to sign in with the directory.
 *
 * @param url - the address that the browser came back to
 * @param state - what the browser kept
 * @throws {Refusal} `SSO_REJECTED`
 */
export async function finishSignIn(
  app: App,
  url: URL,
  state: string | undefined,
  origin: string,
): Promise<{ key: string; expiresAt: Date; returnTo: string }> {
  if (state === undefined || url.searchParams.get('state') !== state) throw refused();
  const pending = await takePending(app, state);
  const config = await directory(app);
  const tokens = await oidc
    .authorizationCodeGrant(config, url, {
      pkceCodeVerifier: pending.verifier,
      expectedState: state,
      expectedNonce: pending.nonce,
      idTokenExpected: true,
    })
    .catch((cause: unknown) => {
      throw refused(cause);
    });
  const claims = tokens.claims();
  if (!claims) throw refused();
  const row = await personBehind(app, claims);
  if (!(await findPerson(app, { id: row.id }))) throw refused();
  if (row.directorySubject === null) {
    await app.records.transaction(async () => {
      await changePerson(app, row.id, { directorySubject: claims.sub });
      await remember(app, {
        who: row.email,
        what: 'linked to identity provider',
        thing: `person ${row.email}`,
        origin,
      });
    });
  }
  return { ...(await startSession(app, row.id, 'browser')), returnTo: pending.returnTo };
}
