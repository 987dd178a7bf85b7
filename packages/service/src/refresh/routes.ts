import Joi from 'joi';
import { thing } from '../access/index.ts';
import { cellDialect, fileDialect } from '../dataset/index.ts';
import { countAttempt, defineRoute, type Route } from '../platform/index.ts';
import { field, mergeNotes, note, pairs, readPairs, scheduleBody } from './schemas.ts';
import { defineDataset, refreshByHand, stopLoad } from './usecases.ts';
import { dropUpload, examine, loadExamined, loadUpload, showUpload } from './uploads.ts';
import { callHook, makeHook, schedule } from './triggers.ts';
import { plannedRefreshes } from './planned.ts';
import { editColumns, goBack } from './columns.ts';

const named = Joi.object({ name: thing.required() });
const force = Joi.boolean().default(false).description('even if it breaks what uses the dataset');
const badCells = Joi.string()
  .valid('refuse', 'empty')
  .default('refuse')
  .description('what becomes of cells that do not fit');
const about = { tag: 'Datasets', audience: 'person' } as const;

export const refreshRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name',
    summary: 'Define a dataset by SQL on a source; a snapshot is loaded at once',
    params: named,
    query: Joi.object({ force }),
    body: Joi.object({
      title: Joi.string().max(200),
      description: Joi.string().allow('').max(2000),
      source: thing.required(),
      sql: Joi.string().max(100_000).required(),
      columns: Joi.array().items(note).max(500),
      order: Joi.array().items(field).max(10),
      kind: Joi.string().valid('snapshot', 'live'),
      keepSeconds: Joi.number()
        .integer()
        .min(0)
        .max(86_400)
        .description('how long answers of a live dataset are shown again'),
    }),
    handle: ({ app, person, params, query, body, origin }) =>
      defineDataset(app, person, { ...params, ...body }, origin, query.force),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/refresh',
    summary: 'Load a snapshot anew from its source',
    params: named,
    query: Joi.object({ force }),
    handle: ({ app, person, params, query }) => refreshByHand(app, person, params.name, query.force),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/cancel-refresh',
    summary: 'Stop the loading that is under way; the old data stays',
    params: named,
    async handle({ app, person, params }) {
      await stopLoad(app, person, params.name);
      return { isAsked: true };
    },
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name/columns',
    summary: 'Say anew what columns mean: label, key, unit, format, sensitivity, type',
    params: named,
    query: Joi.object({ force }),
    body: Joi.object({ columns: Joi.array().items(note).min(1).max(500).required() }),
    handle: ({ app, person, params, query, body, origin }) =>
      editColumns(app, person, params.name, body.columns, { isForced: query.force, origin }),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/versions/:number/rollback',
    summary: 'Show an earlier revision again whose rows are still there',
    params: Joi.object({ name: thing.required(), number: Joi.number().integer().min(1).max(2_147_483_647).required() }),
    query: Joi.object({ force }),
    handle: ({ app, person, params, query, origin }) =>
      goBack(app, person, params.name, params.number, { isForced: query.force, origin }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/refreshes',
    summary: 'How every dataset that you may change is kept fresh: its next times, and how far a load is',
    handle: async ({ app, person }) => ({ refreshes: await plannedRefreshes(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name/schedule',
    summary: 'Set when a snapshot is loaded anew (RFC 5545), or that it is not by itself',
    params: named,
    body: Joi.object({
      schedule: scheduleBody.allow(null).required(),
    }),
    handle: ({ app, person, params, body, origin }) => schedule(app, person, params.name, body.schedule, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/webhook',
    summary: 'Make an address that loads the dataset when it is called; it is shown once',
    params: named,
    status: 201,
    handle: ({ app, person, params, origin }) => makeHook(app, person, params.name, true, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/datasets/:name/webhook',
    summary: 'Take the address away',
    params: named,
    status: 204,
    async handle({ app, person, params, origin }) {
      await makeHook(app, person, params.name, false, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/webhooks/refresh/:key',
    tag: 'Datasets',
    audience: 'anyone',
    summary: 'Load a dataset anew, by its secret address',
    params: Joi.object({ key: Joi.string().max(200).required() }),
    status: 202,
    async handle({ app, params, origin }) {
      await countAttempt(app, 'hook', origin);
      await callHook(app, params.key);
      return { isAsked: true };
    },
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name/file',
    summary: 'Load a CSV, JSON Lines or XLSX file as the next revision',
    params: named,
    consumes: '*/*',
    query: Joi.object({
      file: Joi.string().min(1).max(200).default('file.csv').description('its name'),
      title: Joi.string().trim().min(1).max(200),
      key: pairs.description('column=key'),
      type: pairs.description('column=type'),
      label: pairs.description('column=label'),
      unit: pairs.description('column=unit'),
      badCells,
      ...fileDialect,
      force,
    }),
    async handle({ app, ctx, person, params, query, origin }) {
      const { file, title, key, type, label, unit, badCells: bad, force: isForced, ...said } = query;
      const columns = mergeNotes([
        ...readPairs(key, 'key'),
        ...readPairs(type, 'type'),
        ...readPairs(label, 'label'),
        ...readPairs(unit, 'unit'),
      ]);
      const options = { name: params.name, fileName: file, columns, badCells: bad, said, isForced, origin };
      return loadUpload(app, person, ctx.req, { ...options, ...(title ? { title } : {}) });
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/uploads',
    summary: 'Take in a CSV, JSON Lines or XLSX file and look at every cell; nothing is loaded yet',
    status: 201,
    query: Joi.object({
      file: Joi.string().min(1).max(200).required().description('its name'),
      dataset: thing.description('what it is for: how earlier files of it were written counts where it is open'),
      ...fileDialect,
    }),
    consumes: '*/*',
    handle({ app, ctx, person, query }) {
      const { file: fileName, dataset, ...said } = query;
      return examine(app, person, ctx.req, { fileName, said, ...(dataset === undefined ? {} : { dataset }) });
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/uploads/:id',
    summary: 'A file that was looked at, its numbers and dates read as it is said',
    params: Joi.object({ id: Joi.string().guid().required() }),
    query: Joi.object(cellDialect),
    handle: ({ app, person, params, query }) => showUpload(app, person, params.id, query),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/uploads/:id/import',
    summary: 'Load a file that was looked at, with its types settled',
    params: Joi.object({ id: Joi.string().guid().required() }),
    query: Joi.object({ force }),
    body: Joi.object({
      name: thing.required(),
      title: Joi.string().trim().min(1).max(200),
      columns: Joi.array().items(note).max(500).default([]),
      badCells,
      ...cellDialect,
    }),
    handle({ app, person, params, query, body, origin }) {
      const { decimal, dates, ...wish } = body;
      const said = { ...(decimal ? { decimal } : {}), ...(dates ? { dates } : {}) };
      return loadExamined(app, person, params.id, { ...wish, said, isForced: query.force, origin });
    },
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/uploads/:id',
    summary: 'Drop a file that was looked at',
    params: Joi.object({ id: Joi.string().guid().required() }),
    status: 204,
    async handle({ app, person, params }) {
      await dropUpload(app, person, params.id);
      return null;
    },
  }),
];
