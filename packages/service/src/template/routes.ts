import { Readable } from 'node:stream';
import Joi from 'joi';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { fetchTemplate, loadTemplate, requireTemplate, seenTemplates } from './usecases.ts';

const workbookType = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';
const named = Joi.object({ name: thing.required() });

export const templateRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/workbook-templates',
    tag: 'Workbook templates',
    audience: 'person',
    summary: 'List workbook templates',
    handle: async ({ app, person }) => ({ templates: await seenTemplates(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/workbook-templates/:name',
    tag: 'Workbook templates',
    audience: 'person',
    summary: 'Get a workbook template with its columns and notes',
    params: named,
    handle: ({ app, person, params }) => requireTemplate(app, person, params.name),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/workbook-templates/:name',
    tag: 'Workbook templates',
    audience: 'person',
    summary: 'Upload a workbook template; data goes to the named table or sheet',
    consumes: workbookType,
    params: named,
    query: Joi.object({
      table: Joi.string().max(255).description('table for the data'),
      sheet: Joi.string().max(31).description('sheet for the data, if there is no table'),
      file: Joi.string().max(255).default('workbook.xlsx').description('file name'),
    }).xor('table', 'sheet'),
    handle: ({ app, ctx, person, params, query, origin }) =>
      loadTemplate(app, person, ctx.req, {
        name: params.name,
        fileName: query.file,
        target: query.table === undefined ? { sheet: query.sheet! } : { table: query.table },
        origin,
      }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/workbook-templates/:name/file',
    tag: 'Workbook templates',
    audience: 'person',
    summary: 'Download a workbook template',
    params: named,
    answer: { description: 'the workbook', type: workbookType },
    handle: async ({ app, ctx, person, params }) => {
      const { bytes, fileName } = await fetchTemplate(app, person, params.name);
      ctx.attachment(fileName);
      return { stream: Readable.from([bytes]), type: workbookType };
    },
  }),
];
