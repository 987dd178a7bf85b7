import { Readable } from 'node:stream';
import Joi from 'joi';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { pageRoutes } from './pageRoutes.ts';
import { prepareReport } from './prepare.ts';
import { pictureOfView, pictureRoute } from './thumbnail.ts';

export const viewRoutes: Route[] = [
  ...pageRoutes('/api/v1/reports/:name', 'person', 'you', ({ app, params, person }, request) =>
    prepareReport(app, params.name, person, request),
  ),
  pictureRoute('/api/v1/reports/:name', 'a report', async (app, person, name, languages) =>
    pictureOfView(app, await prepareReport(app, name, person, { parameters: {}, choices: [], languages })),
  ),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports/:name/editions/:number/image',
    tag: 'Reports',
    audience: 'person',
    summary: 'Get a page of an edition as an image, under your permissions',
    params: Joi.object({ name: thing.required(), number: Joi.number().integer().min(1).required() }),
    query: Joi.object({ page: Joi.string().max(60) }),
    answer: { description: 'PNG, 1280 pixels across', type: 'image/png' },
    async handle({ app, ctx, person, params, query }) {
      const { pictureOf } = await import('./image.ts');
      const bytes = await pictureOf(app, person, params.name, { edition: params.number, ...query });
      ctx.set('Cache-Control', 'private, no-store');
      return { stream: Readable.from([bytes]), type: 'image/png' };
    },
  }),
];
