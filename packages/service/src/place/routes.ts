import Joi from 'joi';
import { Readable } from 'node:stream';
import { Refusal } from '@underbell/core/refusal';
import { embed, embedXml } from './oembed.ts';
import { placeKinds } from '@underbell/core/access';
import { chartParts } from '@underbell/core/report';
import { placementThemes } from '@underbell/core/place';
import { toFilterText } from '@underbell/core/filter';
import { filter, thing, webOrigin } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { savePlacement, seenPlacement, seenPlacements, suspendPlacement, type PlacementWish } from './usecases.ts';

// Looked up afterwards, where the nearest valid name is known.
const word = Joi.string().max(60);
const partsOfReport = ['page', 'figure', 'firstPage', 'edition'];

const placementInput = Joi.object({
  kind: Joi.string()
    .valid(...placeKinds)
    .required(),
  title: Joi.string().trim().min(1).max(200).required(),
  report: word,
  board: word,
  page: word.description('this page alone'),
  figure: word.description('this figure of the page alone'),
  firstPage: word.description('of a whole report: the page that it begins with'),
  where: Joi.object().pattern(Joi.string().max(60), filter).default({}),
  swaps: Joi.object()
    .pattern(Joi.string().max(60), Joi.object().pattern(Joi.string().max(63), Joi.string().max(63)))
    .default({})
    .description('by dataset: columns that are shown as others to everybody who looks here'),
  parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)).default({}),
  origins: Joi.array().items(webOrigin).max(50).default([]),
  edition: Joi.number()
    .integer()
    .min(1)
    .max(2_147_483_647)
    .description('stays with this edition; follows the current one when left out'),
  look: Joi.object({
    hideBar: Joi.boolean().description('without the line of title, age and buttons'),
    hidePages: Joi.boolean().description('without the list of pages'),
    theme: Joi.string().valid(...placementThemes),
    maxHeight: Joi.number().integer().min(120).max(4000).description('pixels; it scrolls inside then'),
    hide: Joi.array()
      .items(Joi.string().valid(...chartParts))
      .unique()
      .description('parts that its charts leave out'),
    figures: Joi.array().items(word).min(1).max(60).unique().description('of a page: these alone, in this order'),
    isStacked: Joi.boolean().description('of a page: one figure under the other, however wide the place is'),
  }).default({}),
})
  .xor('report', 'board')
  .with('figure', 'page')
  .without('page', 'firstPage')
  .without('board', partsOfReport);

const named = Joi.object({ name: thing.required() });
const about = { tag: 'Places', audience: 'person' } as const;

const steer = (act: 'suspend' | 'resume', summary: string) =>
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
  tag: 'Places',
  audience: 'anyone',
  summary: 'How the address of a placement is embedded (oEmbed 1.0)',
  query: Joi.object({
    url: Joi.string().max(2_000).required(),
    maxwidth: size,
    maxheight: size,
    format: Joi.string().max(20).default('json'),
    // Consumers say more than the protocol knows.
  }).unknown(true),
  answer: { description: 'application/json, or text/xml with `format=xml`' },
  handle: ({ app, ctx, query }) => {
    const found = embed(app, query);
    ctx.set('Access-Control-Allow-Origin', '*');
    if (query.format === 'json') return Promise.resolve(found);
    if (query.format !== 'xml')
      throw new Refusal('FORMAT_UNKNOWN', `nothing is embedded as \`${query.format}\``, {
        pointer: 'format',
        word: query.format,
        hint: 'json or xml',
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
    summary: 'Where reports and boards are shown, and how that is used where you may change it',
    query: Joi.object({ report: thing, board: thing }).oxor('report', 'board'),
    handle: async ({ app, person, query }) => ({ placements: await seenPlacements(app, person, query) }),
  }),
  steer('suspend', 'Take a placement out of everybody’s sight for a while'),
  steer('resume', 'Show a suspended placement again'),
  defineRoute({
    method: 'get',
    path: '/api/v1/placements/:name',
    tag: 'Places',
    audience: 'person',
    summary: 'One placement, with the lines to paste into a page',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params }) => seenPlacement(app, person, params.name),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/placements/:name',
    tag: 'Places',
    audience: 'person',
    summary: 'Save a placement',
    params: Joi.object({ name: thing.required() }),
    body: placementInput,
    handle({ app, person, params, body, origin: from }) {
      const { report, board, page, figure, firstPage, where, edition, ...rest } = body;
      const placement: PlacementWish = {
        name: params.name,
        ...rest,
        reportName: report ?? null,
        boardName: board ?? null,
        page: page ?? null,
        figure: figure ?? null,
        firstPage: firstPage ?? null,
        editionNumber: edition ?? null,
        conditions: Object.fromEntries(Object.entries(where).map(([dataset, one]) => [dataset, toFilterText(one)])),
      };
      return savePlacement(app, person, placement, from);
    },
  }),
];
