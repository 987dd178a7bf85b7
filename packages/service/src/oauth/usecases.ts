import { randomUUID } from 'node:crypto';
import {
  checkTokenDatasets,
  checkTokenFilter,
  readAuthorizationDetails,
  type ClientBounds,
  type ClientViewer,
  type PersonViewer,
  type ReportViewDetails,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { findPage, readParameters } from '@underbell/core/report';
import { signAccessToken, verifyAccessToken } from '@underbell/core/token';
import { findPerson, listRules, noSuch, requireRight } from '../access/index.ts';
import { findDataset } from '../dataset/index.ts';
import { fingerprint, isSameSecret, momentOf, randomKey, remember, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { signingKeys } from './keys.ts';
import {
  addToken,
  findClient,
  findToken,
  isTokenAlive,
  listClients,
  putClient,
  revokeToken,
  type ClientRow,
} from './store.ts';

const defaultLifetimeSeconds = 600;

/** @throws {Refusal} `CLIENT_INVALID` alike for an unknown client and a wrong secret */
export async function authenticateClient(app: App, id: string, secret: string): Promise<ClientRow> {
  const client = await findClient(app, id);
  const isRight = isSameSecret(fingerprint(secret), client?.secretFingerprint ?? '');
  if (client && isRight && client.state === 'active') return client;
  throw new Refusal('CLIENT_INVALID', 'the client or its secret is wrong');
}

/** Refuses details that could not be shown later: unknown report, page, parameter or filter, or a ruled dataset left open. */
async function checkDetails(app: App, details: ReportViewDetails): Promise<void> {
  const { definition } = await findEdition(app, details.report);
  details.pages?.forEach((page) => findPage(definition, page));
  readParameters(
    { ...definition, parameters: definition.parameters?.map((one) => ({ ...one, required: false })) },
    details.parameters ?? {},
  );
  if (details.person !== undefined && !(await findPerson(app, { email: details.person })))
    throw noSuch('person', details.person, []);
  const datasets = Object.keys(definition.datasets);
  const where = details.where ?? {};
  checkTokenDatasets(where, datasets);
  for (const name of datasets) {
    const rules = await listRules(app, name);
    checkTokenFilter(where, await findDataset(app, name), rules, momentOf(app), details.person !== undefined);
  }
}

export interface IssuedToken {
  readonly access_token: string;
  readonly token_type: 'Bearer';
  readonly expires_in: number;
  readonly authorization_details: readonly [ReportViewDetails];
}

/**
 * Issues an access token within a client's bounds.
 *
 * @see RFC 6749 section 4.4, RFC 9068, RFC 9396
 */
export async function issueToken(
  app: App,
  client: ClientRow,
  asked: unknown,
  lifetimeSeconds = defaultLifetimeSeconds,
): Promise<IssuedToken> {
  const details = readAuthorizationDetails(asked, client.bounds);
  await checkDetails(app, details);
  const iat = Math.floor(app.now() / 1000);
  const lifetime = Math.min(lifetimeSeconds, client.bounds.maxLifetimeSeconds);
  const claims = {
    iss: app.settings.publicUrl,
    aud: app.settings.publicUrl,
    sub: client.id,
    client_id: client.id,
    jti: randomUUID(),
    iat,
    exp: iat + lifetime,
    authorization_details: [details] as const,
  };
  const { signing } = await signingKeys(app);
  const token = await signAccessToken(claims, signing);
  await addToken(app, {
    id: claims.jti,
    clientId: client.id,
    details,
    issuedAt: new Date(iat * 1000),
    expiresAt: new Date(claims.exp * 1000),
    revokedAt: null,
  });
  return { access_token: token, token_type: 'Bearer', expires_in: lifetime, authorization_details: [details] };
}

/** A viewer and what the token lets it look at. */
export interface TokenViewer extends ClientViewer {
  readonly details: ReportViewDetails;
  readonly expiresAt: number;
}

/**
 * Who stands behind an access token, if it still counts.
 *
 * @throws {Refusal} `TOKEN_EXPIRED`, `TOKEN_INVALID`, `TOKEN_REVOKED`
 */
export async function tokenViewer(app: App, jwt: string): Promise<TokenViewer> {
  const { find } = await signingKeys(app);
  const { publicUrl } = app.settings;
  const claims = await verifyAccessToken(jwt, {
    findKey: find,
    issuer: publicUrl,
    audience: publicUrl,
    now: app.now(),
  });
  if (!(await isTokenAlive(app, claims.jti, claims.client_id)))
    throw new Refusal('TOKEN_REVOKED', 'the access token was revoked');
  const [details] = claims.authorization_details;
  const person = details.person === undefined ? undefined : await findPerson(app, { email: details.person });
  if (details.person !== undefined && !person)
    throw new Refusal('TOKEN_REVOKED', 'the person behind the access token has left');
  return {
    kind: 'client',
    clientId: claims.client_id,
    tokenId: claims.jti,
    where: details.where ?? {},
    details,
    expiresAt: claims.exp * 1000,
    ...(person ? { person } : {}),
  };
}

/** Registers a client, or gives a known one new bounds and a new secret. @returns the secret, shown only now */
export async function saveClient(
  app: App,
  person: PersonViewer,
  client: { id: string; title: string; bounds: ClientBounds; secret?: string },
  origin: string,
) {
  for (const report of client.bounds.reports) await requireRight(app, person, 'own', 'report', report);
  const known = await findClient(app, client.id);
  for (const report of known?.bounds.reports ?? []) await requireRight(app, person, 'own', 'report', report);
  const secret = client.secret ?? randomKey('ubc');
  await app.records.transaction(async (transaction) => {
    await putClient(
      app,
      {
        id: client.id,
        title: client.title,
        secretFingerprint: fingerprint(secret),
        bounds: client.bounds,
        state: 'active',
      },
      transaction,
    );
    await remember(
      app,
      {
        who: person.email,
        what: 'client saved',
        thing: `client ${client.id}`,
        origin,
        before: known?.bounds,
        after: client.bounds,
      },
      transaction,
    );
  });
  return { id: client.id, secret };
}

/** Issues a token on behalf of a client, by a person who owns the report: for trying a placement out. */
export async function mintToken(
  app: App,
  person: PersonViewer,
  clientId: string,
  details: object & { report?: string },
  lifetimeSeconds?: number,
) {
  if (details.report !== undefined) await requireRight(app, person, 'own', 'report', details.report);
  const client = await findClient(app, clientId);
  if (!client || client.state !== 'active')
    throw noSuch(
      'client',
      clientId,
      (await listClients(app)).map((one) => one.id),
    );
  return issueToken(app, client, [{ type: 'report_view', ...details }], lifetimeSeconds);
}

/** Takes one token back, at once and everywhere. */
export async function revokeOne(app: App, person: PersonViewer, id: string, origin: string): Promise<void> {
  const token = await findToken(app, id);
  if (!token) throw noSuch('token', id, []);
  await requireRight(app, person, 'own', 'report', token.details.report);
  await app.records.transaction(async (transaction) => {
    await revokeToken(app, id, transaction);
    await remember(app, { who: person.email, what: 'token revoked', thing: `token ${id}`, origin }, transaction);
  });
}
