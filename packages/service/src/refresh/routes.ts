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
const force = Joi.boolean().default(false).description('accept that dependent items break');
const badCells = Joi.string()
  .valid('refuse', 'empty')
  .default('refuse')
  .description('import invalid values as empty, or reject the file');
const about = { tag: 'Datasets', audience: 'person' } as const;

export const refreshRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name',
    summary: 'Save a dataset defined by SQL on a data source',
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
        .description('seconds for which results of a live dataset are cached'),
    }),
    handle: ({ app, person, params, query, body, origin }) =>
      defineDataset(app, person, { ...params, ...body }, origin, query.force),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/refresh',
    summary: 'Refresh a snapshot from its data source',
    params: named,
    query: Joi.object({ force }),
    handle: ({ app, person, params, query }) => refreshByHand(app, person, params.name, query.force),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/cancel-refresh',
    summary: 'Cancel the running refresh; the current data stays',
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
    summary: 'Update columns: label, shared key, unit, format, classification, type',
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
    summary: 'Roll back to an earlier version of a dataset',
    params: Joi.object({ name: thing.required(), number: Joi.number().integer().min(1).max(2_147_483_647).required() }),
    query: Joi.object({ force }),
    handle: ({ app, person, params, query, origin }) =>
      goBack(app, person, params.name, params.number, { isForced: query.force, origin }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/refreshes',
    summary: 'List the refresh state of datasets',
    handle: async ({ app, person }) => ({ refreshes: await plannedRefreshes(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name/schedule',
    summary: 'Set or remove the refresh schedule (RFC 5545)',
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
    summary: 'Create a webhook URL that refreshes the dataset; it is shown once',
    params: named,
    status: 201,
    handle: ({ app, person, params, origin }) => makeHook(app, person, params.name, true, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/datasets/:name/webhook',
    summary: 'Revoke the webhook URL',
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
    summary: 'Refresh a dataset by its webhook URL',
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
    summary: 'Import a CSV, JSON Lines or XLSX file as the next version',
    params: named,
    consumes: '*/*',
    query: Joi.object({
      file: Joi.string().min(1).max(200).default('file.csv').description('file name'),
      title: Joi.string().trim().min(1).max(200),
      key: pairs.description('shared keys as column=key'),
      type: pairs.description('types as column=type'),
      label: pairs.description('labels as column=label'),
      unit: pairs.description('units as column=unit'),
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
    summary: 'Upload a CSV, JSON Lines or XLSX file for a check; nothing is imported yet',
    status: 201,
    query: Joi.object({
      file: Joi.string().min(1).max(200).required().description('file name'),
      dataset: thing.description('dataset that the file is for; its earlier file formats settle open questions'),
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
    summary: 'Set the file format of an upload',
    params: Joi.object({ id: Joi.string().guid().required() }),
    query: Joi.object(cellDialect),
    handle: ({ app, person, params, query }) => showUpload(app, person, params.id, query),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/uploads/:id/import',
    summary: 'Import an upload with the selected types',
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
    summary: 'Delete an upload',
    params: Joi.object({ id: Joi.string().guid().required() }),
    status: 204,
    async handle({ app, person, params }) {
      await dropUpload(app, person, params.id);
      return null;
    },
  }),
];
