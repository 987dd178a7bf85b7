import Joi from 'joi';
import { type CheckedReport, brokenUses, reportSchema } from '@underbell/core/report';
import { thing } from '../access/index.ts';
import { defineRoute, formatRoute, type Route } from '../platform/index.ts';
import { dependentsOf } from './dependents.ts';
import {
  checkReport,
  compareTwo,
  publishReport,
  retireEdition,
  rollBack,
  seenReports,
  showEdition,
  showReport,
  startFrom,
} from './usecases.ts';

const edition = Joi.number().integer().min(1);

const definition = Joi.object().unknown(true).required().description('report definition, format underbell-report/1');

export const reportRoutes: Route[] = [
  formatRoute('report', reportSchema),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports',
    tag: 'Reports',
    audience: 'person',
    summary: 'List reports',
    handle: async ({ app, person }) => ({ reports: await seenReports(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports/:name',
    tag: 'Reports',
    audience: 'person',
    summary: 'Get a report with its editions',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params }) => showReport(app, person, params.name),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/check',
    tag: 'Reports',
    audience: 'person',
    isRead: true,
    summary: 'Validate a report definition without publishing it',
    body: definition,
    async handle({ app, person, body }): Promise<CheckedReport> {
      const report = await checkReport(app, person, body);
      const breaks = brokenUses(report, await dependentsOf(app, report.name));
      return {
        ...(breaks.length > 0 ? { breaks } : {}),
        name: report.name,
        pages: report.pages.length,
        figures: report.pages.reduce((sum, page) => sum + page.figures.length, 0),
      };
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports',
    tag: 'Reports',
    audience: 'person',
    summary: 'Publish a report definition as the next edition',
    status: 201,
    body: Joi.object({
      definition,
      notes: Joi.string().allow('').max(2000).default(''),
      isConfirmed: Joi.boolean().default(false).description('accept that dependent items break'),
      changed: edition.description('edition that was edited; a conflict is reported if it has changed'),
    }),
    handle: ({ app, person, body, origin }) =>
      publishReport(app, person, body.definition, {
        notes: body.notes,
        isConfirmed: body.isConfirmed,
        origin,
        ...(body.changed === undefined ? {} : { changed: body.changed }),
      }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports/:name/compare',
    tag: 'Reports',
    audience: 'person',
    summary: 'Compare two editions, and list items that the later one breaks',
    params: Joi.object({ name: thing.required() }),
    query: Joi.object({ from: edition.required(), to: edition.required() }),
    handle: ({ app, person, params, query }) => compareTwo(app, person, params.name, query.from, query.to),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports/:name/editions/:number',
    tag: 'Reports',
    audience: 'person',
    summary: 'Get the definition of an edition',
    params: Joi.object({ name: thing.required(), number: edition.required() }),
    handle: ({ app, person, params }) => showEdition(app, person, params.name, params.number),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/:name/rollback',
    tag: 'Reports',
    audience: 'person',
    summary: 'Roll back to another edition; all placements follow',
    params: Joi.object({ name: thing.required() }),
    body: Joi.object({ edition: edition.required(), isConfirmed: Joi.boolean().default(false) }),
    handle: ({ app, person, params, body, origin }) => rollBack(app, person, params.name, { ...body, origin }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/reports/:name/editions/:number/retire',
    tag: 'Reports',
    audience: 'person',
    summary: 'Retire an edition',
    params: Joi.object({ name: thing.required(), number: edition.required() }),
    async handle({ app, person, params, origin }) {
      await retireEdition(app, person, params.name, params.number, origin);
      return { name: params.name, retired: params.number };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:dataset/report-draft',
    tag: 'Reports',
    audience: 'person',
    summary: 'Create a draft definition from the columns of a dataset',
    params: Joi.object({ dataset: thing.required() }),
    handle: ({ app, person, params }) => startFrom(app, person, params.dataset),
  }),
];
