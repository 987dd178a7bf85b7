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
    tag: 'Sending',
    audience: 'person',
    summary: 'Prepared workbooks',
    handle: async ({ app, person }) => ({ templates: await seenTemplates(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/workbook-templates/:name',
    tag: 'Sending',
    audience: 'person',
    summary: 'A prepared workbook: its columns, and what a copy will not be as it was made',
    params: named,
    handle: ({ app, person, params }) => requireTemplate(app, person, params.name),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/workbook-templates/:name',
    tag: 'Sending',
    audience: 'person',
    summary: 'Load a prepared workbook; the rows of each copy go to the table or sheet named',
    consumes: workbookType,
    params: named,
    query: Joi.object({
      table: Joi.string().max(255).description('the table that is filled'),
      sheet: Joi.string().max(31).description('the sheet that is filled, where it holds no table'),
      file: Joi.string().max(255).default('workbook.xlsx').description('the name of the file'),
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
    tag: 'Sending',
    audience: 'person',
    summary: 'The workbook as it was loaded',
    params: named,
    answer: { description: 'the workbook', type: workbookType },
    handle: async ({ app, ctx, person, params }) => {
      const { bytes, fileName } = await fetchTemplate(app, person, params.name);
      ctx.attachment(fileName);
      return { stream: Readable.from([bytes]), type: workbookType };
    },
  }),
];
