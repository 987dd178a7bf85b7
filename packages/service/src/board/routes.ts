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
const definition = Joi.object().unknown(true).required().description('board definition, format underbell-board/1');

export const boardRoutes: Route[] = [
  formatRoute('board', boardSchema),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/boards',
    summary: 'List boards',
    handle: async ({ app, person }) => ({ boards: await seenBoards(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/allowed-frame-origins',
    summary: 'List the allowed origins of web pages on boards',
    handle: async ({ app }) => ({ origins: await boardFrameOrigins(app) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/allowed-frame-origins',
    summary: 'Set the allowed origins of web pages on boards (administrators)',
    body: Joi.object({ origins: Joi.array().items(webOrigin).max(50).required() }),
    handle: async ({ app, person, body, origin }) => ({
      origins: await allowBoardFrames(app, person, body.origins, origin),
    }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/available-figures',
    summary: 'List the available figures for boards and placements',
    handle: async ({ app, person }) => ({ reports: await catalogue(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/boards/:name',
    summary: 'Get the definition of a board',
    params: named,
    handle: ({ app, person, params }) => showBoard(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/boards',
    summary: 'Save a board',
    body: Joi.object({
      definition,
      version: Joi.number().integer().description('version that was edited; a conflict is reported if it has changed'),
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
    summary: 'Validate a board without saving it',
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
    summary: 'Get a board with its data',
    params: named,
    query: Joi.object({ where: Joi.string().max(16_384).description('filter as CQL2 text; it can only remove rows') }),
    handle: ({ app, ctx, person, params, query }) =>
      viewBoard(app, person, params.name, {
        choices: [],
        parameters: {},
        languages: ctx.acceptsLanguages(),
        ...(query.where === undefined ? {} : { where: query.where }),
      }),
  }),
  pictureRoute('/api/v1/boards/:name', 'a board', async (app, person, name, languages) =>
    pictureOfAnswer(app, await glanceAtBoard(app, person, name, { choices: [], parameters: {}, languages })),
  ),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/boards/:name/events',
    summary: 'Stream changes of a board and its data (server-sent events)',
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
