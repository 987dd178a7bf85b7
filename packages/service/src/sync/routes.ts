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

const about = { tag: 'Followed files', audience: 'person' } as const;
const params = Joi.object({ name: thing.required() });

export const followRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/synced-files',
    summary: 'The files that you follow; all of them for administrators',
    handle: async ({ app, person }) => ({ files: await seenFollowed(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/synced-files/:name',
    summary: 'One file that is followed',
    params,
    handle: ({ app, person, params: { name } }) => showFollowed(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/synced-files/:name',
    summary: 'Follow a file: replaced where it lies, it becomes the next edition or revision here, with your rights',
    params,
    body: Joi.object({
      kind: Joi.string()
        .valid(...followedKinds)
        .required(),
      dataset: thing.description('the dataset that its rows become; a report or board says its own name'),
      address: Joi.string()
        .uri({ scheme: ['http', 'https'] })
        .max(2_000)
        .required(),
      user: Joi.string().max(200),
      password: Joi.string().max(1_000).description('the one that is known stays when it is left out'),
      schedule: scheduleBody
        .allow(null)
        .description('null: not by itself; the one that is known stays when it is left out'),
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
    summary: 'Follow a file under another name',
    params,
    body: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params: { name }, body, origin }) => renameFollowed(app, person, name, body.name, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/synced-files/:name',
    summary: 'Follow a file no more; what was made of it stays',
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
    summary: 'Look at a file now, and take it over where it has changed',
    params,
    handle: ({ app, person, params: { name } }) => checkByHand(app, person, name),
  }),
  ...([true, false] as const).map((isWanted) =>
    defineRoute({
      ...about,
      method: isWanted ? 'post' : 'delete',
      path: '/api/v1/synced-files/:name/webhook',
      summary: isWanted
        ? 'Make the secret address that has the file looked at when it is called'
        : 'Take the secret address of a file away',
      params,
      handle: ({ app, person, params: { name }, origin }) => makeFollowHook(app, person, name, isWanted, origin),
    }),
  ),
  defineRoute({
    ...about,
    method: 'post',
    audience: 'anyone',
    path: '/api/v1/webhooks/sync/:key',
    summary: 'Have a file looked at, by its secret address',
    params: Joi.object({ key: Joi.string().max(200).required() }),
    status: 202,
    async handle({ app, params: { key }, origin }) {
      await countAttempt(app, 'hook', origin);
      await callFollowHook(app, key);
      return { isAsked: true };
    },
  }),
];
