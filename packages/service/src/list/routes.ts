import Joi from 'joi';
import { thing } from '../access/index.ts';
import type { ColumnType } from '@underbell/core/dataset';
import { invalidRowActions, readAs, validate } from '@underbell/core/check';
import { fileDialect } from '../dataset/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { defineList, giveList, loadList, seenLists, showList } from './usecases.ts';

const named = Joi.object({ name: thing.required() });
const column = Joi.string().max(63).allow('').description('an absent setting stays, an empty text removes it');
const roles = {
  id: column.description('column with the recipient key; default: the email address'),
  address: column.description('column with the email address; default: email'),
  activeFrom: column.description('column with the first day of delivery'),
  activeTo: column.description('column with the last day of delivery'),
  language: column.description('column with the language of the copy, for example de or en-GB'),
  timeZone: column.description('column with the time zone of the copy, for example Europe/Athens'),
  format: column.description('column with the formats of the recipient'),
  invalidRows: Joi.string()
    .valid(...invalidRowActions)
    .default('reject')
    .description('reject a list with invalid rows, or skip those rows and list them'),
};
const columnType = Joi.string().valid('text', 'integer', 'number', 'boolean', 'date', 'instant');
const types = Joi.object().pattern(Joi.string().max(63), columnType).max(200);
const cell = Joi.alternatives(Joi.string().allow('').max(10_000), Joi.number().unsafe(), Joi.boolean()).allow(null);
/** `joined:date,fee:number`, as addresses carry it. */
const typesText = readAs<Record<string, ColumnType>>()(
  Joi.string()
    .max(4_000)
    .custom((text: string, helpers) => {
      const read = Object.fromEntries(text.split(',').map((one) => one.split(':').map((part) => part.trim())));
      const { problems } = validate(read, types, { convert: false });
      return problems ? helpers.message({ custom: problems[0]!.message }) : read;
    })
    .description('types of columns, for example joined:date,fee:number'),
);

export const listRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/lists',
    tag: 'Recipient lists',
    audience: 'person',
    summary: 'List recipient lists',
    handle: async ({ app, person }) => ({ lists: await seenLists(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/lists/:name',
    tag: 'Recipient lists',
    audience: 'person',
    summary: 'Get a recipient list with its rows',
    params: named,
    handle: ({ app, person, params }) => showList(app, person, params.name),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/lists/:name',
    tag: 'Recipient lists',
    audience: 'person',
    summary: 'Upload a recipient list (CSV, JSON Lines or XLSX)',
    consumes: '*/*',
    params: named,
    query: Joi.object({
      file: Joi.string().min(1).max(200).default('list.csv').description('file name'),
      ...roles,
      types: typesText,
      ...fileDialect,
    }),
    handle({ app, ctx, person, params, query, origin }) {
      const { file: fileName, encoding, separator, decimal, dates, ...said } = query;
      const dialect = {
        ...(encoding ? { encoding } : {}),
        ...(separator ? { separator } : {}),
        ...(decimal ? { decimal } : {}),
        ...(dates ? { dates } : {}),
      };
      return loadList(app, person, ctx.req, { name: params.name, fileName, roles: said, said: dialect, origin });
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/lists/:name/rows',
    tag: 'Recipient lists',
    audience: 'person',
    summary: 'Replace the rows of a recipient list with JSON records',
    params: named,
    body: Joi.object({
      ...roles,
      types,
      rows: Joi.array()
        .items(Joi.object().pattern(Joi.string().max(63), cell))
        .min(1)
        .required()
        .description('one record per recipient: column to text, number, boolean or null; send more than 4 MB as CSV'),
    }).required(),
    handle: ({ app, person, params, body, origin }) => giveList(app, person, { name: params.name, ...body, origin }),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/lists/:name/source',
    tag: 'Recipient lists',
    audience: 'person',
    summary: 'Take a recipient list from a dataset or a group',
    params: named,
    body: Joi.object({
      ...roles,
      types,
      from: Joi.alternatives(
        Joi.object({ dataset: thing.required(), where: Joi.string().max(10_000) }),
        Joi.object({ group: Joi.string().max(200).required(), each: column }),
      ).required(),
    }).required(),
    handle: ({ app, person, params, body, origin }) => defineList(app, person, { name: params.name, ...body, origin }),
  }),
];
