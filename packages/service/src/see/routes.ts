import Joi from 'joi';
import { tokenActions } from '@underbell/core/access';
import { toFilterText } from '@underbell/core/filter';
import { email, filter, thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { ruleBody } from '../rule/index.ts';
import { readRequest, viewQuery, viewWords, type ViewQuery } from '../view/index.ts';
import { previewReport, seeAs } from './usecases.ts';

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

export const seeRoutes: Route[] = [
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/preview',
    isRead: true,
    tag: 'Viewing',
    audience: 'person',
    summary: 'A definition that is not published, drawn with real data as you or somebody else would see it',
    body: Joi.object({
      definition: Joi.object().unknown(true).required().description('a report definition, format underbell-report/1'),
      as: email,
      page: viewWords.page,
    }),
    handle: ({ app, ctx, person, body }) =>
      previewReport(app, person, {
        definition: body.definition,
        ...(body.as === undefined ? {} : { as: body.as }),
        request: {
          parameters: {},
          choices: [],
          languages: ctx.acceptsLanguages(),
          ...(body.page === undefined ? {} : { page: body.page }),
        },
      }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports/:name/see',
    tag: 'Viewing',
    audience: 'person',
    summary: 'What a person would see, and why',
    params: Joi.object({ name: thing.required() }),
    query: viewQuery.keys({ as: email.required() }),
    async handle({ app, ctx, person, params, query }) {
      const { as, ...rest } = query;
      return seeAs(app, person, {
        report: params.name,
        as: { person: as },
        request: readRequest(rest as ViewQuery, ctx),
      });
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/:name/see',
    isRead: true,
    tag: 'Viewing',
    audience: 'person',
    summary: 'What a person, a client or the holder of a token would see, and how two viewers differ',
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
      return seeAs(app, person, { report: params.name, as, request, ...options });
    },
  }),
];
