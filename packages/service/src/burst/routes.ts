import Joi from 'joi';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { loadList, seenLists, showList } from './listUsecases.ts';
import { saveBurst, seeRecipient, seenBursts, seenRuns, showLedger, showPlan, startRun, stopRun } from './usecases.ts';

const named = Joi.object({ name: thing.required() });
const column = Joi.string().max(63);
const period = Joi.string().max(20).description('2026-10 for months, 2026-10-01 for days');
const runId = Joi.object({ id: Joi.number().integer().min(1).required() });

export const burstRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/lists',
    tag: 'Sending',
    audience: 'person',
    summary: 'Recipient lists',
    handle: async ({ app, person }) => ({ lists: await seenLists(app, person) }),
  }),
  defineRoute<{ name: string }>({
    method: 'get',
    path: '/api/v1/lists/:name',
    tag: 'Sending',
    audience: 'person',
    summary: 'A recipient list with its rows',
    params: named,
    handle: ({ app, person, params }) => showList(app, person, params.name),
  }),
  defineRoute<{ name: string }, { id?: string; address: string }>({
    method: 'put',
    path: '/api/v1/lists/:name',
    tag: 'Sending',
    audience: 'person',
    summary: 'Load a recipient list from CSV',
    consumes: 'text/csv',
    params: named,
    query: Joi.object({
      id: column.description('column that names a recipient; the address when left out'),
      address: column.default('email'),
    }),
    handle: ({ app, ctx, person, params, query, origin }) =>
      loadList(app, person, ctx.req, { name: params.name, ...query, origin }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts',
    tag: 'Sending',
    audience: 'person',
    summary: 'Bursts, each with its last run',
    handle: async ({ app, person }) => ({ bursts: await seenBursts(app, person) }),
  }),
  defineRoute<Record<string, never>, Record<string, never>, object>({
    method: 'put',
    path: '/api/v1/bursts',
    tag: 'Sending',
    audience: 'person',
    summary: 'Save a burst',
    body: Joi.object().unknown(true).required().description('a burst definition, format underbell-burst/1'),
    handle: ({ app, person, body, origin }) => saveBurst(app, person, body, origin),
  }),
  defineRoute<{ name: string }, { period?: string; again: boolean }>({
    method: 'get',
    path: '/api/v1/bursts/:name/plan',
    tag: 'Sending',
    audience: 'person',
    summary: 'What a run would do; nothing is sent',
    params: named,
    query: Joi.object({ period, again: Joi.boolean().default(false).description('also plan what was already sent') }),
    handle: ({ app, person, params, query }) => showPlan(app, person, params.name, query),
  }),
  defineRoute<{ name: string }, { recipient: string; period?: string }>({
    method: 'get',
    path: '/api/v1/bursts/:name/see',
    tag: 'Sending',
    audience: 'person',
    summary: 'What one recipient’s copy would hold, and why',
    params: named,
    query: Joi.object({ recipient: Joi.string().max(1000).required(), period }),
    handle: ({ app, person, params, query }) => seeRecipient(app, person, params.name, query),
  }),
  defineRoute<{ name: string }, Record<string, never>, { period?: string; again: boolean }>({
    method: 'post',
    path: '/api/v1/bursts/:name/runs',
    tag: 'Sending',
    audience: 'person',
    summary: 'Start a run',
    status: 202,
    params: named,
    body: Joi.object({ period, again: Joi.boolean().default(false).description('also send what was already sent') }),
    handle: ({ app, person, params, body, origin }) => startRun(app, person, params.name, { ...body, origin }),
  }),
  defineRoute<Record<string, never>, { burst?: string }>({
    method: 'get',
    path: '/api/v1/runs',
    tag: 'Sending',
    audience: 'person',
    summary: 'The newest runs',
    query: Joi.object({ burst: thing }),
    handle: async ({ app, person, query }) => ({ runs: await seenRuns(app, person, query.burst) }),
  }),
  defineRoute<{ id: number }>({
    method: 'get',
    path: '/api/v1/runs/:id',
    tag: 'Sending',
    audience: 'person',
    summary: 'A run with its ledger, one line per recipient',
    params: runId,
    handle: ({ app, person, params }) => showLedger(app, person, params.id),
  }),
  defineRoute<{ id: number }>({
    method: 'post',
    path: '/api/v1/runs/:id/stop',
    tag: 'Sending',
    audience: 'person',
    summary: 'Stop a run; what has left stays sent',
    status: 202,
    params: runId,
    handle: ({ app, person, params, origin }) => stopRun(app, person, params.id, origin),
  }),
];
