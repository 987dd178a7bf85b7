import Joi from 'joi';
import { boardSchema } from '@underbell/core/board';
import { thing, webOrigin } from '../access/index.ts';
import { defineRoute, formatRoute, type Route } from '../platform/index.ts';
import { pictureOfAnswer, pictureRoute, sightOf, streamChanges } from '../view/index.ts';
import { allowBoardFrames, boardFrameOrigins } from './frames.ts';
import {
  boardDatasets,
  catalogue,
  checkBoard,
  glanceAtBoard,
  saveBoard,
  seenBoards,
  showBoard,
  viewBoard,
} from './usecases.ts';

const about = { tag: 'Boards', audience: 'person' } as const;
const named = Joi.object({ name: thing.required() });
const definition = Joi.object().unknown(true).required().description('a board, format underbell-board/1');

export const boardRoutes: Route[] = [
  formatRoute('board', boardSchema),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/boards',
    summary: 'The boards you may see',
    handle: async ({ app, person }) => ({ boards: await seenBoards(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/allowed-frame-origins',
    summary: 'The hosts whose pages boards may show in frames',
    handle: async ({ app }) => ({ origins: await boardFrameOrigins(app) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/allowed-frame-origins',
    summary: 'Say whose pages boards may show in frames; for administrators',
    body: Joi.object({ origins: Joi.array().items(webOrigin).max(50).required() }),
    handle: async ({ app, person, body, origin }) => ({
      origins: await allowBoardFrames(app, person, body.origins, origin),
    }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/available-figures',
    summary: 'Every figure that you may put on a board or in a place, as it is now',
    handle: async ({ app, person }) => ({ reports: await catalogue(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/boards/:name',
    summary: 'A board as it was made',
    params: named,
    handle: ({ app, person, params }) => showBoard(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/boards',
    summary: 'Save a board; everywhere that shows it follows',
    body: Joi.object({
      definition,
      version: Joi.number().integer().description('the version that was changed; refused when another came in between'),
    }),
    handle: ({ app, person, body, origin }) =>
      saveBoard(app, person, body.definition, {
        origin,
        ...(body.version === undefined ? {} : { version: body.version }),
      }),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/boards/check',
    isRead: true,
    summary: 'Check a board without saving it',
    body: definition,
    async handle({ app, person, body }) {
      const board = await checkBoard(app, person, body);
      return { name: board.name, figures: board.figures.length };
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/boards/:name/view',
    isRemembered: true,
    summary: 'A board with its figures, as you may see them',
    params: named,
    query: Joi.object({ where: Joi.string().max(16_384).description('CQL2 text; can only narrow') }),
    handle: ({ app, ctx, person, params, query }) =>
      viewBoard(app, person, params.name, {
        choices: [],
        parameters: {},
        languages: ctx.acceptsLanguages(),
        ...(query.where === undefined ? {} : { where: query.where }),
      }),
  }),
  pictureRoute('/api/v1/boards/:name', 'A board', async (app, person, name, languages) =>
    pictureOfAnswer(app, await glanceAtBoard(app, person, name, { choices: [], parameters: {}, languages })),
  ),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/boards/:name/events',
    summary: 'Server-sent events: tells when the board or its data has changed',
    params: named,
    answer: { description: 'text/event-stream', type: 'text/event-stream' },
    async handle({ app, ctx, person, params, askers, again }) {
      const watched = { board: params.name, datasets: await boardDatasets(app, person, params.name) };
      return streamChanges(app, ctx, watched, {
        shares: askers,
        async look() {
          const reader = (await again()).person!;
          await showBoard(app, reader, params.name);
          return sightOf(app, reader, watched.datasets);
        },
      });
    },
  }),
];
