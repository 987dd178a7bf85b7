import Joi from 'joi';
import type { Context } from 'koa';
import type { ClientBounds } from '@underbell/core/access';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { visibleNames, thing } from '../access/index.ts';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import { signingKeys } from './keys.ts';
import { listClients, listTokens, revokeToken } from './store.ts';
import {
  authenticateClient,
  issueToken,
  mintToken,
  revokeOne,
  saveClient,
  tokenViewer,
  type TokenViewer,
} from './usecases.ts';

interface TokenForm {
  readonly grant_type?: string;
  readonly client_id?: string;
  readonly client_secret?: string;
  readonly authorization_details?: string;
  readonly token?: string;
}

/** HTTP Basic or form credentials, never both. @see RFC 6749 section 2.3.1 */
function credentials(ctx: Context, form: TokenForm): { id: string; secret: string } {
  const basic = /^Basic ([A-Za-z0-9+/]+=*)$/.exec(ctx.get('Authorization'))?.[1];
  if (basic !== undefined) {
    const text = Buffer.from(basic, 'base64').toString('utf8');
    const at = text.indexOf(':');
    const decode = (part: string) => decodeURIComponent(part.replaceAll('+', ' '));
    if (at > 0 && form.client_secret === undefined)
      return { id: decode(text.slice(0, at)), secret: decode(text.slice(at + 1)) };
  }
  if (basic === undefined && form.client_id && form.client_secret)
    return { id: form.client_id, secret: form.client_secret };
  throw new Refusal(
    'CLIENT_INVALID',
    'the client must authenticate, by HTTP Basic or by client_id and client_secret in the form',
  );
}

const oauthCodes: Partial<Record<string, string>> = {
  CLIENT_INVALID: 'invalid_client',
  GRANT_UNSUPPORTED: 'unsupported_grant_type',
  INPUT_INVALID: 'invalid_request',
};

/** Answers a refusal as RFC 6749 section 5.2 wants it, with our code and hint beside. */
async function oauthAnswer(ctx: Context, work: () => Promise<object>): Promise<object | null> {
  ctx.set('Cache-Control', 'no-store');
  try {
    return await work();
  } catch (error) {
    if (!isRefusal(error)) throw error;
    const code = oauthCodes[error.code] ?? 'invalid_authorization_details';
    ctx.status = code === 'invalid_client' ? 401 : 400;
    if (code === 'invalid_client') ctx.set('WWW-Authenticate', 'Basic realm="Under Bell"');
    ctx.body = { error: code, error_description: error.message, code: error.code, ...error.details };
    return null;
  }
}

function readDetails(text: string | undefined): unknown {
  if (text === undefined)
    throw new Refusal('INPUT_INVALID', 'authorization_details is missing', { pointer: 'authorization_details' });
  try {
    return JSON.parse(text);
  } catch (cause) {
    throw new Refusal(
      'INPUT_INVALID',
      'authorization_details is not JSON',
      { pointer: 'authorization_details' },
      { cause },
    );
  }
}

async function authenticated(app: App, ctx: Context, form: TokenForm) {
  const { id, secret } = credentials(ctx, form);
  return authenticateClient(app, id, secret);
}

/** A token that counts and is the client's own; an unknown and a foreign one look alike. */
async function ownToken(app: App, clientId: string, token: string | undefined): Promise<TokenViewer | undefined> {
  try {
    const viewer = await tokenViewer(app, token ?? '');
    return viewer.clientId === clientId ? viewer : undefined;
  } catch (error) {
    if (isRefusal(error)) return undefined;
    throw error;
  }
}

const form = Joi.object({
  grant_type: Joi.string(),
  client_id: Joi.string().max(60),
  client_secret: Joi.string().max(200),
  authorization_details: Joi.string().max(100_000),
  token: Joi.string().max(100_000),
  token_type_hint: Joi.string(),
  scope: Joi.string(),
});

const bounds = Joi.object({
  reports: Joi.array().items(thing).min(1).required(),
  actions: Joi.array().items(Joi.string().valid('view', 'export')).min(1).default(['view']),
  maxLifetimeSeconds: Joi.number().integer().min(30).max(86_400).default(3600),
  mayNamePersons: Joi.boolean().default(false),
});

export const oauthRoutes: Route[] = [
  defineRoute<Record<string, never>, Record<string, never>, TokenForm>({
    method: 'post',
    path: '/oauth/token',
    tag: 'OAuth',
    audience: 'anyone',
    summary: 'Access token by client credentials (RFC 6749, RFC 9396)',
    body: form,
    handle: ({ app, ctx, body }) =>
      oauthAnswer(ctx, async () => {
        const client = await authenticated(app, ctx, body);
        if (body.grant_type !== 'client_credentials')
          throw new Refusal('GRANT_UNSUPPORTED', 'grant_type must be client_credentials', { pointer: 'grant_type' });
        return issueToken(app, client, readDetails(body.authorization_details));
      }),
  }),
  defineRoute<Record<string, never>, Record<string, never>, TokenForm>({
    method: 'post',
    path: '/oauth/revoke',
    tag: 'OAuth',
    audience: 'anyone',
    summary: 'Revoke an access token (RFC 7009)',
    body: form,
    handle: ({ app, ctx, body }) =>
      oauthAnswer(ctx, async () => {
        const client = await authenticated(app, ctx, body);
        // An unknown or foreign token is answered alike, as the standard asks.
        const viewer = await ownToken(app, client.id, body.token);
        if (viewer) await app.records.transaction((transaction) => revokeToken(app, viewer.tokenId, transaction));
        return {};
      }),
  }),
  defineRoute<Record<string, never>, Record<string, never>, TokenForm>({
    method: 'post',
    path: '/oauth/introspect',
    tag: 'OAuth',
    audience: 'anyone',
    summary: 'Whether a token still counts (RFC 7662)',
    body: form,
    handle: ({ app, ctx, body }) =>
      oauthAnswer(ctx, async () => {
        const client = await authenticated(app, ctx, body);
        const viewer = await ownToken(app, client.id, body.token);
        if (!viewer) return { active: false };
        return {
          active: true,
          client_id: client.id,
          jti: viewer.tokenId,
          exp: viewer.expiresAt / 1000,
          authorization_details: [viewer.details],
        };
      }),
  }),
  defineRoute({
    method: 'get',
    path: '/oauth/keys',
    tag: 'OAuth',
    audience: 'anyone',
    summary: 'Public keys that tokens are signed with (RFC 7517)',
    handle: async ({ app }) => (await signingKeys(app)).published,
  }),
  defineRoute({
    method: 'get',
    path: '/.well-known/oauth-authorization-server',
    tag: 'OAuth',
    audience: 'anyone',
    summary: 'Metadata (RFC 8414)',
    async handle({ app }) {
      const { publicUrl } = app.settings;
      return {
        issuer: publicUrl,
        token_endpoint: `${publicUrl}/oauth/token`,
        revocation_endpoint: `${publicUrl}/oauth/revoke`,
        introspection_endpoint: `${publicUrl}/oauth/introspect`,
        jwks_uri: `${publicUrl}/oauth/keys`,
        grant_types_supported: ['client_credentials'],
        response_types_supported: [],
        token_endpoint_auth_methods_supported: ['client_secret_basic', 'client_secret_post'],
        authorization_details_types_supported: ['report_view'],
      };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/clients',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Programs that may ask for tokens to reports of yours',
    async handle({ app, person }) {
      const clients = await listClients(app);
      const seen = new Set(
        await visibleNames(app, person, 'report', [...new Set(clients.flatMap((one) => one.bounds.reports))]),
      );
      return {
        clients: clients
          .filter((one) => one.bounds.reports.some((name) => seen.has(name)))
          .map(({ id, title, bounds: limits, state }) => ({ id, title, state, ...limits })),
      };
    },
  }),
  defineRoute<{ id: string }, Record<string, never>, ClientBounds & { title: string }>({
    method: 'put',
    path: '/api/v1/clients/:id',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Register a client; answers its new secret once',
    params: Joi.object({ id: thing.required() }),
    body: bounds.keys({ title: Joi.string().trim().min(1).max(200).required() }),
    handle({ app, person, params, body, origin }) {
      const { title, ...limits } = body;
      return saveClient(app, person, { id: params.id, title, bounds: limits }, origin);
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/tokens',
    tag: 'Tokens',
    audience: 'person',
    summary: 'The newest tokens that were handed out',
    async handle({ app, person }) {
      const tokens = await listTokens(app, 200);
      const seen = new Set(
        await visibleNames(app, person, 'report', [...new Set(tokens.map((one) => one.details.report))]),
      );
      return { tokens: tokens.filter((one) => seen.has(one.details.report)) };
    },
  }),
  defineRoute<
    Record<string, never>,
    Record<string, never>,
    { client: string; lifetimeSeconds?: number } & Record<string, unknown>
  >({
    method: 'post',
    path: '/api/v1/tokens',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Mint a token on behalf of a client, to try a placement',
    status: 201,
    body: Joi.object({
      client: thing.required(),
      report: thing.required(),
      pages: Joi.array().items(thing),
      parameters: Joi.object().pattern(Joi.string(), Joi.string()),
      where: Joi.object().pattern(Joi.string(), Joi.string()),
      actions: Joi.array().items(Joi.string()),
      person: Joi.string(),
      lifetimeSeconds: Joi.number().integer().min(1).max(86_400),
    }),
    handle({ app, person, body }) {
      const { client, lifetimeSeconds, ...details } = body;
      return mintToken(app, person, client, details, lifetimeSeconds);
    },
  }),
  defineRoute<{ id: string }>({
    method: 'delete',
    path: '/api/v1/tokens/:id',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Revoke a token',
    status: 204,
    params: Joi.object({ id: Joi.string().guid().required() }),
    async handle({ app, person, params, origin }) {
      await revokeOne(app, person, params.id, origin);
      return null;
    },
  }),
];
