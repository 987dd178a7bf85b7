import type { TokenViewer } from '@underbell/core/access';
import Joi from 'joi';
import type { Context } from 'koa';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { tokenAlgorithms } from '@underbell/core/token';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import { authenticateClient, type ClientForm } from './clients.ts';
import { exchangeToken } from './exchange.ts';
import { exchangeIdToken } from './idToken.ts';
import { signingKeys } from './keys.ts';
import { oauthEndpoint, oauthForm } from './oauthAnswer.ts';
import { proofOf } from './proof.ts';
import { revokeToken } from './store.ts';
import { heldToken, issueToken, tokenViewer } from './tokens.ts';

export const exchangeGrant = 'urn:ietf:params:oauth:grant-type:token-exchange';
const accessTokenType = 'urn:ietf:params:oauth:token-type:access_token';
const idTokenType = 'urn:ietf:params:oauth:token-type:id_token';
const jwtType = 'urn:ietf:params:oauth:token-type:jwt';

interface TokenForm extends ClientForm {
  readonly grant_type?: string;
  readonly authorization_details?: string;
  readonly scope?: string;
  readonly audience?: string;
  readonly resource?: string;
  readonly subject_token?: string;
  readonly subject_token_type?: string;
  readonly requested_token_type?: string;
  readonly token?: string;
  readonly device_code?: string;
  readonly refresh_token?: string;
}

function readDetails(text: string | undefined): unknown {
  if (text === undefined)
    throw new Refusal('INPUT_INVALID', 'authorization_details is missing.', { pointer: 'authorization_details' });
  try {
    return JSON.parse(text);
  } catch (cause) {
    throw new Refusal(
      'INPUT_INVALID',
      'authorization_details is not valid JSON.',
      { pointer: 'authorization_details' },
      { cause },
    );
  }
}

/** Tokens are good for this service alone; asking for another is refused rather than ignored. */
function checkAudience(app: App, form: TokenForm): void {
  const other = [form.audience, form.resource].find((one) => one !== undefined && one !== app.settings.publicUrl);
  if (other !== undefined)
    throw new Refusal('INPUT_INVALID', `Tokens are for ${app.settings.publicUrl}, not for “${other.slice(0, 100)}”.`, {
      pointer: 'audience',
    });
}

async function exchange(app: App, ctx: Context, form: TokenForm): Promise<object> {
  const client = await authenticateClient(app, ctx, form);
  const isIdToken = form.subject_token_type === idTokenType;
  const types = [
    isIdToken ? accessTokenType : (form.subject_token_type ?? ''),
    form.requested_token_type ?? accessTokenType,
  ];
  if (form.subject_token === undefined || types.some((one) => one !== accessTokenType && one !== jwtType))
    throw new Refusal(
      'INPUT_INVALID',
      `A token exchange needs subject_token of type ${accessTokenType} or ${idTokenType}.`,
      {
        pointer: 'subject_token_type',
      },
    );
  const { scope } = form;
  if (isIdToken)
    return exchangeIdToken(app, client, {
      idToken: form.subject_token,
      asked: readDetails(form.authorization_details),
      scope,
      keyThumbprint: await proofOf(app, ctx),
    });
  return exchangeToken(app, client, {
    subjectToken: form.subject_token,
    asked: form.authorization_details === undefined ? undefined : readDetails(form.authorization_details),
    scope,
    keyThumbprint: await proofOf(app, ctx),
  });
}

async function answerTokenRequest(app: App, ctx: Context, form: TokenForm): Promise<object> {
  checkAudience(app, form);
  const give = app.things.tokenGrant(form.grant_type ?? '');
  if (give) return give({ form: { ...form }, keyThumbprint: await proofOf(app, ctx) });
  if (form.grant_type === exchangeGrant) return exchange(app, ctx, form);
  const client = await authenticateClient(app, ctx, form);
  if (form.grant_type !== 'client_credentials') {
    throw new Refusal('GRANT_UNSUPPORTED', `grant_type must be client_credentials or ${exchangeGrant}.`, {
      pointer: 'grant_type',
    });
  }
  const keyThumbprint = await proofOf(app, ctx);
  return issueToken(app, client, readDetails(form.authorization_details), { keyThumbprint, scope: form.scope });
}

/** A token that counts and is the client's own; an unknown and a foreign one look alike. */
async function ownToken(
  app: App,
  clientId: string,
  token: string | undefined,
  find = tokenViewer,
): Promise<TokenViewer | undefined> {
  try {
    const viewer = await find(app, token ?? '');
    return viewer.clientId === clientId ? viewer : undefined;
  } catch (error) {
    if (isRefusal(error)) return undefined;
    throw error;
  }
}

const token = Joi.string().max(100_000);
const form = oauthForm({
  grant_type: Joi.string().max(100),
  client_id: Joi.string().max(60),
  client_secret: Joi.string().max(200),
  client_assertion: Joi.string().max(10_000),
  client_assertion_type: Joi.string().max(100),
  authorization_details: Joi.string().max(100_000),
  scope: Joi.string().max(200),
  audience: Joi.string().max(2000),
  resource: Joi.string().max(2000),
  subject_token: token,
  subject_token_type: Joi.string().max(100),
  requested_token_type: Joi.string().max(100),
  token,
  token_type_hint: Joi.string().max(100),
  device_code: token,
  refresh_token: token,
});

export const endpointRoutes: Route[] = [
  defineRoute({
    ...oauthEndpoint,
    path: '/oauth/token',
    tag: 'OAuth',
    summary: 'Issue an access token by client credentials or token exchange (RFC 6749, RFC 8693, RFC 9396)',
    body: form,
    async handle({ app, ctx, body }) {
      ctx.set('Cache-Control', 'no-store');
      return answerTokenRequest(app, ctx, body);
    },
  }),
  defineRoute({
    ...oauthEndpoint,
    path: '/oauth/revoke',
    tag: 'OAuth',
    summary: 'Revoke an access token and all tokens derived from it (RFC 7009)',
    body: form,
    async handle({ app, ctx, body }) {
      ctx.set('Cache-Control', 'no-store');
      const client = await authenticateClient(app, ctx, body);
      // An unknown or foreign token is answered alike, as the standard asks.
      const viewer = await ownToken(app, client.id, body.token, heldToken);
      if (viewer) await app.records.transaction(() => revokeToken(app, viewer.tokenId));
      return {};
    },
  }),
  defineRoute({
    ...oauthEndpoint,
    path: '/oauth/introspect',
    tag: 'OAuth',
    summary: 'Introspect a token (RFC 7662)',
    body: form,
    async handle({ app, ctx, body }) {
      ctx.set('Cache-Control', 'no-store');
      const client = await authenticateClient(app, ctx, body);
      const viewer = await ownToken(app, client.id, body.token);
      if (!viewer) return { active: false };
      return {
        active: true,
        iss: app.settings.publicUrl,
        aud: app.settings.publicUrl,
        client_id: client.id,
        sub: client.id,
        jti: viewer.tokenId,
        exp: viewer.expiresAt / 1000,
        scope: viewer.details.actions.join(' '),
        token_type: viewer.keyThumbprint ? 'DPoP' : 'Bearer',
        ...(viewer.keyThumbprint ? { cnf: { jkt: viewer.keyThumbprint } } : {}),
        authorization_details: [viewer.details],
      };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/oauth/keys',
    tag: 'OAuth',
    audience: 'anyone',
    summary: 'Get the public signing keys (RFC 7517)',
    handle: async ({ app }) => (await signingKeys(app)).published,
  }),
  defineRoute({
    method: 'get',
    path: '/.well-known/oauth-authorization-server',
    tag: 'OAuth',
    audience: 'anyone',
    summary: 'Get the server metadata (RFC 8414)',
    async handle({ app }) {
      const { publicUrl } = app.settings;
      return {
        issuer: publicUrl,
        token_endpoint: `${publicUrl}/oauth/token`,
        revocation_endpoint: `${publicUrl}/oauth/revoke`,
        introspection_endpoint: `${publicUrl}/oauth/introspect`,
        jwks_uri: `${publicUrl}/oauth/keys`,
        scopes_supported: ['view', 'export'],
        device_authorization_endpoint: `${publicUrl}/oauth/device_authorization`,
        grant_types_supported: [
          'client_credentials',
          exchangeGrant,
          'urn:ietf:params:oauth:grant-type:device_code',
          'refresh_token',
        ],
        response_types_supported: [],
        token_endpoint_auth_methods_supported: ['client_secret_basic', 'client_secret_post', 'private_key_jwt', 'none'],
        token_endpoint_auth_signing_alg_values_supported: tokenAlgorithms,
        dpop_signing_alg_values_supported: tokenAlgorithms,
        authorization_details_types_supported: ['report_view'],
        service_documentation: `${publicUrl}/openapi.json`,
      };
    },
  }),
];
