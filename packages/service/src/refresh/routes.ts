import Joi from 'joi';
import { thing } from '../access/index.ts';
import type { ColumnNote, DatasetSpec, RefreshSchedule } from '../dataset/index.ts';
import { countAttempt, defineRoute, type Route } from '../platform/index.ts';
import { field, mergeNotes, note, pairs, readPairs } from './schemas.ts';
import { defineDataset, refreshByHand, stopLoad } from './usecases.ts';
import { dropUpload, examine, loadExamined, loadUpload } from './uploads.ts';
import { callHook, makeHook, schedule } from './triggers.ts';
import { editColumns } from './columns.ts';

const named = Joi.object({ name: thing.required() });
const force = Joi.boolean().default(false).description('even if it breaks what uses the dataset');
const about = { tag: 'Datasets', audience: 'person' } as const;

export const refreshRoutes: Route[] = [
  defineRoute<{ name: string }, { force: boolean }, Omit<DatasetSpec, 'name'>>({
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
  defineRoute<{ name: string }, { force: boolean }>({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/refresh',
    summary: 'Load a snapshot anew from its source',
    params: named,
    query: Joi.object({ force }),
    handle: ({ app, person, params, query }) => refreshByHand(app, person, params.name, query.force),
  }),
  defineRoute<{ name: string }>({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/stop',
    summary: 'Stop the loading that is under way; the old data stays',
    params: named,
    async handle({ app, person, params }) {
      await stopLoad(app, person, params.name);
      return { isAsked: true };
    },
  }),
  defineRoute<{ name: string }, { force: boolean }, { columns: ColumnNote[] }>({
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
  defineRoute<{ name: string }, Record<string, never>, { schedule: RefreshSchedule | null }>({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name/schedule',
    summary: 'Set when a snapshot is loaded anew (RFC 5545), or that it is not by itself',
    params: named,
    body: Joi.object({
      schedule: Joi.object({
        rule: Joi.string().max(400).required(),
        start: Joi.string().max(25).required(),
        timeZone: Joi.string().max(60).required(),
      })
        .allow(null)
        .required(),
    }),
    handle: ({ app, person, params, body, origin }) => schedule(app, person, params.name, body.schedule, origin),
  }),
  defineRoute<{ name: string }>({
    ...about,
    method: 'post',
    path: '/api/v1/datasets/:name/hook',
    summary: 'Make an address that loads the dataset when it is called; it is shown once',
    params: named,
    status: 201,
    handle: ({ app, person, params, origin }) => makeHook(app, person, params.name, true, origin),
  }),
  defineRoute<{ name: string }>({
    ...about,
    method: 'delete',
    path: '/api/v1/datasets/:name/hook',
    summary: 'Take the address away',
    params: named,
    status: 204,
    async handle({ app, person, params, origin }) {
      await makeHook(app, person, params.name, false, origin);
      return null;
    },
  }),
  defineRoute<{ key: string }>({
    method: 'post',
    path: '/api/v1/hooks/refresh/:key',
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
  defineRoute<{ name: string }, { key: string[]; type: string[]; label: string[]; force: boolean }>({
    ...about,
    method: 'put',
    path: '/api/v1/datasets/:name/file',
    summary: 'Load a CSV file as the next revision, its types inferred',
    params: named,
    consumes: 'text/csv',
    query: Joi.object({
      key: pairs.description('column=key'),
      type: pairs.description('column=type'),
      label: pairs.description('column=label'),
      force,
    }),
    async handle({ app, ctx, person, params, query, origin }) {
      const columns = mergeNotes([
        ...readPairs(query.key, 'key'),
        ...readPairs(query.type, 'type'),
        ...readPairs(query.label, 'label'),
      ]);
      const options = { name: params.name, columns, isForced: query.force, origin };
      return { name: params.name, ...(await loadUpload(app, person, ctx.req, options)) };
    },
  }),
  defineRoute<Record<string, never>, { file: string }>({
    ...about,
    method: 'post',
    path: '/api/v1/uploads',
    summary: 'Take in a CSV, JSON Lines or XLSX file and look at every cell; nothing is loaded yet',
    status: 201,
    query: Joi.object({ file: Joi.string().min(1).max(200).required().description('its name') }),
    consumes: '*/*',
    handle: ({ app, ctx, person, query }) => examine(app, person, ctx.req, query.file),
  }),
  defineRoute<
    { id: string },
    { force: boolean },
    { name: string; title?: string; columns: ColumnNote[]; badCells: 'refuse' | 'empty' }
  >({
    ...about,
    method: 'post',
    path: '/api/v1/uploads/:id/load',
    summary: 'Load a file that was looked at, with its types settled',
    params: Joi.object({ id: Joi.string().guid().required() }),
    query: Joi.object({ force }),
    body: Joi.object({
      name: thing.required(),
      title: Joi.string().trim().min(1).max(200),
      columns: Joi.array().items(note).max(500).default([]),
      badCells: Joi.string().valid('refuse', 'empty').default('refuse'),
    }),
    handle: ({ app, person, params, query, body, origin }) =>
      loadExamined(app, person, params.id, { ...body, isForced: query.force, origin }),
  }),
  defineRoute<{ id: string }>({
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
