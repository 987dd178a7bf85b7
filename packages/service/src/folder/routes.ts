import Joi from 'joi';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { binKinds, type Mark } from './store.ts';
import { takeAway, takenAway } from './takeAway.ts';
import { atHand, bin, contents, dependents, find, keepAtHand, looked, restore, seenBin } from './usecases.ts';

const about = { tag: 'Folders', audience: 'person' } as const;
const mark = Joi.object({
  kind: Joi.string()
    .valid(...binKinds)
    .required(),
  name: thing.required(),
});
/** Paths of things are in the plural everywhere. */
const paths = { report: 'reports', board: 'boards', dataset: 'datasets' } as const;

export const folderRoutes: Route[] = [
  defineRoute<Record<string, never>, { text: string }>({
    ...about,
    method: 'get',
    path: '/api/v1/find',
    summary: 'Find reports, boards and datasets by names, columns and descriptions',
    query: Joi.object({ text: Joi.string().trim().min(1).max(200).required() }),
    handle: async ({ app, person, query }) => ({ found: await find(app, person, query.text) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/contents',
    summary: 'Folders with what lies in them',
    handle: ({ app, person }) => contents(app, person),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/at-hand',
    summary: 'Your favourites and what you looked at last',
    handle: ({ app, person }) => atHand(app, person),
  }),
  ...(['put', 'delete'] as const).map((method) =>
    defineRoute<Mark>({
      ...about,
      method,
      path: '/api/v1/favourites/:kind/:name',
      summary: method === 'put' ? 'Keep a thing at hand' : 'Keep it at hand no longer',
      params: mark,
      status: 204,
      async handle({ app, person, params }) {
        await keepAtHand(app, person, params, method === 'put');
        return null;
      },
    }),
  ),
  defineRoute<Mark>({
    ...about,
    method: 'put',
    path: '/api/v1/recent/:kind/:name',
    summary: 'Remember that you looked at a thing',
    params: mark,
    status: 204,
    async handle({ app, person, params }) {
      await looked(app, person, params);
      return null;
    },
  }),
  ...binKinds.map((kind) =>
    defineRoute<{ name: string }, { confirmed: boolean }>({
      ...about,
      method: 'delete',
      path: `/api/v1/${paths[kind]}/:name`,
      summary: `Throw a ${kind} into the bin; what depends on it is told first`,
      params: Joi.object({ name: thing.required() }),
      query: Joi.object({ confirmed: Joi.boolean().default(false) }),
      async handle({ app, person, params, query, origin }) {
        const thrown = { kind, name: params.name };
        const uses = await dependents(app, thrown);
        await bin(app, person, thrown, { isConfirmed: query.confirmed, origin });
        return { ...thrown, days: 30, uses };
      },
    }),
  ),
  ...takenAway.map((kind) =>
    defineRoute<{ name: string }>({
      ...about,
      method: 'delete',
      path: `/api/v1/${kind}s/:name`,
      summary: `Take a ${kind} away, unless something needs it`,
      params: Joi.object({ name: thing.required() }),
      status: 204,
      async handle({ app, person, params, origin }) {
        await takeAway(app, person, kind, params.name, origin);
        return null;
      },
    }),
  ),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/bin',
    summary: 'What you own and threw away, and until when it can be had back',
    handle: async ({ app, person }) => ({ things: await seenBin(app, person) }),
  }),
  defineRoute<Mark>({
    ...about,
    method: 'post',
    path: '/api/v1/bin/:kind/:name/restore',
    summary: 'Take a thing out of the bin again',
    params: mark,
    async handle({ app, person, params, origin }) {
      await restore(app, person, params, origin);
      return params;
    },
  }),
];
