import Joi from 'joi';
import type { Context } from 'koa';
import { Readable } from 'node:stream';
import { tokenActions } from '@underbell/core/access';
import type { Inferred } from '@underbell/core/check';
import { toFilterText } from '@underbell/core/filter';
import { email, filter, thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { placementInput, wishOf } from '../placement/index.ts';
import { ruleBody } from '../rule/index.ts';
import { readRequest, viewQuery, viewWords, type ViewQuery } from '../view/index.ts';
import { tryRecord } from './record.ts';
import { previewBoard, previewReport, printPreview, previewAs, type PreviewRequest } from './usecases.ts';

/** A person, or a client with what it would ask for, or a token; in a placement or not. */
const seenAs = Joi.object({
  person: email,
  client: thing,
  details: Joi.object({
    pages: Joi.array().items(thing),
    parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)),
    where: Joi.object().pattern(Joi.string().max(60), filter),
    actions: Joi.array().items(Joi.string().valid(...tokenActions)),
    person: email,
    context: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)),
  }),
  token: Joi.string().guid(),
  placement: thing,
})
  .xor('person', 'client', 'token')
  .with('details', 'client');

const draftBody = Joi.object({
  definition: Joi.object().unknown(true).required().description('report definition, format underbell-report/1'),
  as: email,
  page: viewWords.page,
});

const draftWish = ({ definition, as, page }: Inferred<typeof draftBody>, ctx: Context): PreviewRequest => ({
  definition,
  ...(as === undefined ? {} : { as }),
  request: {
    parameters: {},
    choices: [],
    languages: ctx.acceptsLanguages(),
    ...(page === undefined ? {} : { page }),
  },
});

const record = Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000).allow('')).default({});

/** A placement beside a record: as it is saved, or as it would be. */
const recordRoutes: Route[] = [
  defineRoute({
    method: 'post',
    path: '/api/v1/placements/:name/test',
    isRead: true,
    tag: 'Placements',
    audience: 'person',
    summary: 'Preview a placement with a record: filter, rows and page',
    params: Joi.object({ name: thing.required() }),
    body: Joi.object({ record, page: viewWords.page }),
    handle: ({ app, ctx, person, params: { name }, body }) =>
      tryRecord(app, person, { placement: name, ...tried(body, ctx) }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/placements/test',
    isRead: true,
    tag: 'Placements',
    audience: 'person',
    summary: 'Preview an unsaved placement with a record',
    body: placementInput.keys({ name: thing.required(), record, showPage: viewWords.page }),
    handle({ app, ctx, person, body: { name, kind, origins, record: one, showPage, ...part } }) {
      const placement = wishOf({ name, kind, origins }, part);
      return tryRecord(app, person, { placement, ...tried({ record: one, page: showPage }, ctx) });
    },
  }),
];

const tried = (
  { record: one, page }: { readonly record: Record<string, string>; readonly page?: string | undefined },
  ctx: Context,
) => ({
  record: one,
  request: {
    parameters: {},
    choices: [],
    languages: ctx.acceptsLanguages(),
    ...(page === undefined ? {} : { page }),
  },
});

export const seeRoutes: Route[] = [
  ...recordRoutes,
  defineRoute({
    method: 'post',
    path: '/api/v1/boards/preview',
    isRead: true,
    tag: 'Views',
    audience: 'person',
    summary: 'Preview an unsaved board as you or another user',
    body: Joi.object({
      definition: Joi.object().unknown(true).required().description('board definition, format underbell-board/1'),
      as: email,
    }),
    handle: ({ app, ctx, person, body }) => previewBoard(app, person, { ...body, languages: ctx.acceptsLanguages() }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/preview/print',
    isRead: true,
    tag: 'Views',
    audience: 'person',
    summary: 'Preview a page of an unpublished report as printed',
    body: draftBody,
    answer: { description: 'application/pdf', type: 'application/pdf' },
    handle: async ({ app, ctx, person, body }) => ({
      stream: Readable.from([await printPreview(app, person, draftWish(body, ctx))]),
      type: 'application/pdf',
    }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/preview',
    isRead: true,
    tag: 'Views',
    audience: 'person',
    summary: 'Preview an unpublished report as you or another user',
    body: draftBody,
    handle: ({ app, ctx, person, body }) => previewReport(app, person, draftWish(body, ctx)),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports/:name/preview-as',
    tag: 'Views',
    audience: 'person',
    summary: 'Explain what a user sees, and why',
    params: Joi.object({ name: thing.required() }),
    query: viewQuery.keys({ as: email.required() }),
    async handle({ app, ctx, person, params, query }) {
      const { as, ...rest } = query;
      return previewAs(app, person, {
        report: params.name,
        as: { person: as },
        request: readRequest(rest as ViewQuery, ctx),
      });
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/:name/preview-as',
    isRead: true,
    tag: 'Views',
    audience: 'person',
    summary: 'Explain what a user, client or token sees, and compare two of them',
    params: Joi.object({ name: thing.required() }),
    body: Joi.object({
      as: seenAs.required(),
      and: seenAs,
      page: viewWords.page,
      where: filter,
      parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)).default({}),
      draft: ruleBody.keys({ dataset: thing.required(), name: thing.required() }),
    }),
    async handle({ app, person, params, body }) {
      const { as, and, draft, page, where, parameters } = body;
      const request = {
        parameters,
        choices: [],
        ...(page === undefined ? {} : { page }),
        ...(where === undefined ? {} : { where: toFilterText(where) }),
      };
      const options = { ...(and ? { and } : {}), ...(draft ? { draft } : {}) };
      return previewAs(app, person, { report: params.name, as, request, ...options });
    },
  }),
];
