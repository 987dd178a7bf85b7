import Joi from 'joi';
import { followedKinds } from '@underbell/core/sync';
import { thing } from '../access/index.ts';
import { countAttempt, defineRoute, type Route } from '../platform/index.ts';
import { scheduleBody } from '../refresh/index.ts';
import {
  callFollowHook,
  checkByHand,
  dropFollowed,
  makeFollowHook,
  renameFollowed,
  saveFollowed,
  seenFollowed,
  showFollowed,
} from './usecases.ts';

const about = { tag: 'Synced files', audience: 'person' } as const;
const params = Joi.object({ name: thing.required() });

export const followRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/synced-files',
    summary: 'List your synced files; all of them for administrators',
    handle: async ({ app, person }) => ({ files: await seenFollowed(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/synced-files/:name',
    summary: 'Get a synced file',
    params,
    handle: ({ app, person, params: { name } }) => showFollowed(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/synced-files/:name',
    summary: 'Save a synced file: each change becomes the next edition or version, under your permissions',
    params,
    body: Joi.object({
      kind: Joi.string()
        .valid(...followedKinds)
        .required(),
      dataset: thing.description('dataset for the rows; reports and boards contain their name'),
      address: Joi.string()
        .uri({ scheme: ['http', 'https'] })
        .max(2_000)
        .required(),
      user: Joi.string().max(200),
      password: Joi.string().max(1_000).description('default: the stored password'),
      schedule: scheduleBody.allow(null).description('sync schedule; null removes it; default: the stored one'),
    })
      .when(Joi.object({ kind: 'dataset' }).unknown(), {
        then: Joi.object({ dataset: Joi.required() }),
        otherwise: Joi.object({ dataset: Joi.forbidden() }),
      })
      .with('password', 'user'),
    handle: ({ app, person, params: { name }, body, origin }) => saveFollowed(app, person, { name, ...body }, origin),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/synced-files/:name/name',
    summary: 'Rename a synced file',
    params,
    body: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params: { name }, body, origin }) => renameFollowed(app, person, name, body.name, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/synced-files/:name',
    summary: 'Delete a synced file; what was imported stays',
    params,
    status: 204,
    async handle({ app, person, params: { name }, origin }) {
      await dropFollowed(app, person, name, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/synced-files/:name/sync',
    summary: 'Sync a file now',
    params,
    handle: ({ app, person, params: { name } }) => checkByHand(app, person, name),
  }),
  ...([true, false] as const).map((isWanted) =>
    defineRoute({
      ...about,
      method: isWanted ? 'post' : 'delete',
      path: '/api/v1/synced-files/:name/webhook',
      summary: isWanted
        ? 'Create a webhook URL that syncs the file; it is shown once'
        : 'Revoke the webhook URL of a synced file',
      params,
      handle: ({ app, person, params: { name }, origin }) => makeFollowHook(app, person, name, isWanted, origin),
    }),
  ),
  defineRoute({
    ...about,
    method: 'post',
    audience: 'anyone',
    path: '/api/v1/webhooks/sync/:key',
    summary: 'Sync a file by its webhook URL',
    params: Joi.object({ key: Joi.string().max(200).required() }),
    status: 202,
    async handle({ app, params: { key }, origin }) {
      await countAttempt(app, 'hook', origin);
      await callFollowHook(app, key);
      return { isAsked: true };
    },
  }),
];
