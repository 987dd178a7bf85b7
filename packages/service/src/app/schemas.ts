import Joi from 'joi';
import { rightLevels } from '@underbell/core/access';
import type { PageItem } from '@underbell/core/app';
import { readAs } from '@underbell/core/check';
import { email, thing, webOrigin } from '../access/index.ts';

const words = Joi.string().trim().min(1).max(200);
const company = Joi.object({
  from: Joi.string()
    .valid('record', 'person')
    .required()
    .description('a field of the record, or an attribute of the person'),
  name: Joi.string().trim().min(1).max(63).required(),
});
const chart = Joi.object({
  name: thing.required(),
  title: words.required(),
  address: Joi.string()
    .uri({ scheme: ['http', 'https'] })
    .max(2_000)
    .required(),
});

export const appBody = Joi.object({
  title: words.required(),
  origins: Joi.array().items(webOrigin).max(50).default([]).description('of the pages of the app'),
  client: Joi.string()
    .max(60)
    .allow(null)
    .default(null)
    .description('the program by which its server asks for access tokens: it asks for none while the app is off'),
  company: company
    .allow(null)
    .default(null)
    .description('where the company of somebody is told; null where all are of one'),
  charts: Joi.array()
    .items(chart)
    .max(40)
    .unique('name')
    .default([])
    .description('charts of its own, each as a page of its own'),
});

export const placeBody = Joi.object({
  inPanel: Joi.boolean().default(false).description('people may have it in their side panel'),
  offers: Joi.array()
    .items(thing)
    .max(40)
    .unique()
    .default([])
    .description('placements of the app that a company may have here instead'),
});

const expected = Joi.number()
  .integer()
  .min(0)
  .description('the choice that was looked at; refused when another came in between');
export const companyBody = Joi.object({
  company: Joi.string().trim().min(1).max(200).required(),
  shows: thing.allow(null).required().description('the standard, where it is null'),
  expected,
});
export const backBody = Joi.object({ id: Joi.number().integer().min(1).required(), expected });

export const panelBody = Joi.object({
  chosen: Joi.array().items(thing).max(60).unique().description('placements, in your own order'),
  shown: thing.description('what is shown, to begin with it the next time'),
});

const item = readAs<PageItem>()(
  Joi.object({
    report: Joi.string().max(60),
    page: Joi.string().max(60),
    figure: Joi.string().max(60),
    chart: Joi.string().max(60),
  })
    .xor('report', 'chart')
    .and('report', 'page', 'figure'),
);
export const pageBody = Joi.object({
  title: words.required(),
  items: Joi.array()
    .items(item)
    .min(1)
    .max(24)
    .required()
    .description('figures of reports, and charts of the app’s own'),
  version: Joi.number().integer().description('the version that was changed; refused when another came in between'),
});
export const shareBody = Joi.object({
  person: email.required(),
  level: Joi.string()
    .valid(...rightLevels)
    .default('view'),
});
