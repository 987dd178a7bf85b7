import Joi from 'joi';
import type { ShownClient } from '@underbell/core/token';
import { tokenActions } from '@underbell/core/access';
import { tokenAlgorithms } from '@underbell/core/token';
import { filter, notFound, thing, webOrigin } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { clientsOf, endClient, renewSecret, saveClient } from './clients.ts';
import { dropKey, rotateKeys, showKeys } from './keys.ts';
import { mintToken, revokeOne, tokensOf } from './tokens.ts';
import type { ClientRow } from './models.ts';

/** A public key of a client; a private part would be a mistake to keep. */
const publicKey = Joi.object({
  kty: Joi.string().valid('EC', 'OKP').required(),
  crv: Joi.string().valid('P-256', 'Ed25519').required(),
  x: Joi.string().max(100).required(),
  y: Joi.string().max(100),
  kid: Joi.string().max(200),
  alg: Joi.string().valid(...tokenAlgorithms),
  use: Joi.string().valid('sig'),
});

const bounds = Joi.object({
  reports: Joi.array().items(thing).min(1).required(),
  actions: Joi.array()
    .items(Joi.string().valid(...tokenActions))
    .min(1)
    .default(['view']),
  maxLifetimeSeconds: Joi.number().integer().min(30).max(86_400).default(3600),
  mayNamePersons: Joi.boolean().default(false),
  origins: Joi.array().items(webOrigin).max(20),
  mustFilter: Joi.array().items(Joi.string().max(60)).max(10),
  requiresProof: Joi.boolean(),
  directoryId: Joi.string()
    .trim()
    .min(1)
    .max(200)
    .description('client ID at the identity provider, for token exchange'),
});

const clientBody = bounds.keys({
  title: Joi.string().trim().min(1).max(200).required(),
  publicKeys: Joi.object({ keys: Joi.array().items(publicKey).min(1).max(5).required() }),
});

const shownClient = ({ id, title, bounds: limits, state, publicKeys, formerUntil }: ClientRow): ShownClient<Date> => ({
  id,
  title,
  state,
  signsIn: publicKeys ? 'by its own key' : 'by a secret',
  ...(formerUntil ? { formerUntil } : {}),
  ...limits,
});

export const clientRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/clients',
    tag: 'Tokens',
    audience: 'person',
    summary: 'List clients that you own or that can view your reports',
    handle: async ({ app, person }) => ({ clients: (await clientsOf(app, person)).map(shownClient) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/clients/:id',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Get a client',
    params: Joi.object({ id: thing.required() }),
    async handle({ app, person, params }) {
      const mine = await clientsOf(app, person);
      const client = mine.find((one) => one.id === params.id);
      if (client) return shownClient(client);
      const names = mine.map((one) => one.id);
      throw notFound('client', params.id, names);
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/clients',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Create a client with a new name; its secret is returned once',
    status: 201,
    body: clientBody.keys({ id: thing.required() }),
    handle({ app, person, body, origin: from }) {
      const { id, title, publicKeys, ...limits } = body;
      const client = { id, title, bounds: limits, isNew: true, ...(publicKeys ? { publicKeys } : {}) };
      return saveClient(app, person, client, from);
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/clients/:id/rotate-secret',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Rotate the secret of a client; the previous one stays valid for a while',
    params: Joi.object({ id: thing.required() }),
    body: Joi.object({
      hours: Joi.number()
        .min(0)
        .max(720)
        .default(24)
        .description('hours that the previous secret stays valid; 0 revokes it at once'),
    }).default({ hours: 24 }),
    handle: ({ app, person, params, body, origin: from }) =>
      renewSecret(app, person, params.id, { hours: body.hours, origin: from }),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/clients/:id',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Save a client; the secret of a new one is returned once',
    params: Joi.object({ id: thing.required() }),
    body: clientBody,
    handle({ app, person, params, body, origin: from }) {
      const { title, publicKeys, ...limits } = body;
      const client = { id: params.id, title, bounds: limits, ...(publicKeys ? { publicKeys } : {}) };
      return saveClient(app, person, client, from);
    },
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/clients/:id',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Revoke a client and its tokens',
    status: 204,
    params: Joi.object({ id: thing.required() }),
    async handle({ app, person, params, origin: from }) {
      await endClient(app, person, params.id, from);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/tokens',
    tag: 'Tokens',
    audience: 'person',
    summary: 'List access tokens, newest first, 200 per page',
    query: Joi.object({
      after: Joi.string().max(400).description('“next” of the previous page'),
      living: Joi.boolean().default(false).description('only valid tokens'),
    }),
    handle: ({ app, person, query: { after, living } }) =>
      tokensOf(app, person, { isLiving: living, ...(after === undefined ? {} : { after }) }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/tokens',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Create a token for a client, to test a placement',
    status: 201,
    body: Joi.object({
      client: thing.required(),
      report: thing,
      placement: thing,
      pages: Joi.array().items(thing),
      parameters: Joi.object().pattern(Joi.string(), Joi.string()),
      where: Joi.object().pattern(Joi.string(), filter),
      actions: Joi.array().items(Joi.string()),
      person: Joi.string(),
      context: Joi.object().pattern(Joi.string(), Joi.string()),
      lifetimeSeconds: Joi.number().integer().min(1).max(86_400),
    }).or('report', 'placement'),
    handle({ app, person, body }) {
      const { client, lifetimeSeconds, ...details } = body;
      return mintToken(app, person, client, details, lifetimeSeconds);
    },
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/tokens/:id',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Revoke a token and all tokens derived from it',
    status: 204,
    params: Joi.object({ id: Joi.string().guid().required() }),
    async handle({ app, person, params, origin: from }) {
      await revokeOne(app, person, params.id, from);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/signing-keys',
    tag: 'Tokens',
    audience: 'person',
    summary: 'List signing keys, newest first',
    handle: async ({ app, person }) => ({ keys: await showKeys(app, person) }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/signing-keys',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Create a signing key; earlier ones verify tokens for one more day',
    status: 201,
    body: Joi.object({
      algorithm: Joi.string()
        .valid(...tokenAlgorithms)
        .default('ES256'),
    }),
    handle: ({ app, person, body, origin: from }) => rotateKeys(app, person, body.algorithm, from),
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/signing-keys/:id',
    tag: 'Tokens',
    audience: 'person',
    summary: 'Delete a signing key; all tokens that it signed become invalid',
    status: 204,
    params: Joi.object({ id: Joi.string().guid().required() }),
    async handle({ app, person, params, origin: from }) {
      await dropKey(app, person, params.id, from);
      return null;
    },
  }),
];
