import Joi from 'joi';
import joiToJson from 'joi-to-json';
import { reportSchema } from '@underbell/core/report';
import { thing } from '../access/schemas.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { checkReport, publishReport, seenReports, showReport } from './usecases.ts';

const definition = Joi.object().unknown(true).required().description('a report definition, format underbell-report/1');

export const reportRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/schemas/underbell-report-1.json',
    tag: 'Reports',
    audience: 'anyone',
    summary: 'JSON Schema of the report format, for editors',
    handle: async () => joiToJson(reportSchema, 'json') as object,
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/reports',
    tag: 'Reports',
    audience: 'person',
    summary: 'The reports you may see',
    handle: async ({ app, person }) => ({ reports: await seenReports(app, person) }),
  }),
  defineRoute<{ name: string }>({
    method: 'get',
    path: '/api/v1/reports/:name',
    tag: 'Reports',
    audience: 'person',
    summary: 'A report with its editions',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params }) => showReport(app, person, params.name),
  }),
  defineRoute<Record<string, never>, Record<string, never>, object>({
    method: 'post',
    path: '/api/v1/reports/check',
    tag: 'Reports',
    audience: 'person',
    summary: 'Check a definition without publishing it',
    body: definition,
    async handle({ app, person, body }) {
      const report = await checkReport(app, person, body);
      return {
        name: report.name,
        pages: report.pages.length,
        figures: report.pages.reduce((sum, page) => sum + page.figures.length, 0),
      };
    },
  }),
  defineRoute<Record<string, never>, Record<string, never>, { definition: object; notes: string }>({
    method: 'post',
    path: '/api/v1/reports',
    tag: 'Reports',
    audience: 'person',
    summary: 'Publish a definition as the next edition',
    status: 201,
    body: Joi.object({ definition, notes: Joi.string().allow('').max(2000).default('') }),
    handle: ({ app, person, body, origin }) =>
      publishReport(app, person, body.definition, { notes: body.notes, origin }),
  }),
];
