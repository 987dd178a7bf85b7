import Joi from 'joi';
import { Readable } from 'node:stream';
import { Refusal } from '@underbell/core/refusal';
import { embed, embedXml } from './oembed.ts';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { placementInput, wishOf } from './schemas.ts';
import { savePlacement, seenPlacement, seenPlacements, suspendPlacement } from './usecases.ts';

const named = Joi.object({ name: thing.required() });
const about = { tag: 'Placements', audience: 'person' } as const;

const runAction = (act: 'suspend' | 'resume', summary: string) =>
  defineRoute({
    ...about,
    method: 'post',
    path: `/api/v1/placements/:name/${act}`,
    summary,
    params: named,
    handle: ({ app, person, params, origin }) => suspendPlacement(app, person, params.name, act === 'suspend', origin),
  });

const size = Joi.number().integer().min(1).max(100_000);

const embedRoute = defineRoute({
  method: 'get',
  path: '/oembed',
  tag: 'Placements',
  audience: 'anyone',
  summary: 'Get the embed code of a placement URL (oEmbed 1.0)',
  query: Joi.object({
    url: Joi.string().max(2_000).required(),
    maxwidth: size,
    maxheight: size,
    format: Joi.string().max(20).default('json'),
    // Consumers say more than the protocol knows.
  }).unknown(true),
  answer: { description: 'embed code', type: ['application/json', 'text/xml'] },
  handle: ({ app, ctx, query }) => {
    const found = embed(app, query);
    ctx.set('Access-Control-Allow-Origin', '*');
    if (query.format === 'json') return Promise.resolve(found);
    if (query.format !== 'xml')
      throw new Refusal('FORMAT_UNKNOWN', `The format “${query.format}” is not available.`, {
        pointer: 'format',
        word: query.format,
        hint: 'Use json or xml.',
      });
    return Promise.resolve({ stream: Readable.from([embedXml(found)]), type: 'text/xml; charset=utf-8' });
  },
});

export const placeRoutes: Route[] = [
  embedRoute,
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/placements',
    summary: 'List placements with their use',
    query: Joi.object({ report: thing, board: thing }).oxor('report', 'board'),
    handle: async ({ app, person, query }) => ({ placements: await seenPlacements(app, person, query) }),
  }),
  runAction('suspend', 'Suspend a placement'),
  runAction('resume', 'Resume a placement'),
  defineRoute({
    method: 'get',
    path: '/api/v1/placements/:name',
    tag: 'Placements',
    audience: 'person',
    summary: 'Get a placement with its embed snippets',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params }) => seenPlacement(app, person, params.name),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/placements/:name',
    tag: 'Placements',
    audience: 'person',
    summary: 'Save a placement',
    params: Joi.object({ name: thing.required() }),
    body: placementInput,
    handle: ({ app, person, params, body: { kind, origins, ...part }, origin: from }) =>
      savePlacement(app, person, wishOf({ name: params.name, kind, origins }, part), from),
  }),
];
