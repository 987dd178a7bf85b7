import Joi from 'joi';
import { rightLevels } from '@underbell/core/access';
import type { PageItem } from '@underbell/core/app';
import { readAs } from '@underbell/core/check';
import { email, thing, webOrigin } from '../access/index.ts';

const words = Joi.string().trim().min(1).max(200);
const company = Joi.object({
  from: Joi.string().valid('record', 'person').required().description('a field of the record, or a user attribute'),
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
  origins: Joi.array()
    .items(webOrigin)
    .max(50)
    .default([])
    .description('allowed origins: those of the pages of the app'),
  client: Joi.string()
    .max(60)
    .allow(null)
    .default(null)
    .description('client with which the app server requests access tokens; it gets none while the app is disabled'),
  company: company
    .allow(null)
    .default(null)
    .description('where the company of a user comes from; null if all users belong to one company'),
  charts: Joi.array()
    .items(chart)
    .max(40)
    .unique('name')
    .default([])
    .description('charts of the app, each with the URL of its page'),
});

export const placeBody = Joi.object({
  inPanel: Joi.boolean().default(false).description('users can add it to their side panel'),
  offers: Joi.array()
    .items(thing)
    .max(40)
    .unique()
    .default([])
    .description('variants: placements of the app that a company can show here instead'),
});

const expected = Joi.number()
  .integer()
  .min(0)
  .description('expected variant; a conflict is reported if it has changed');
export const companyBody = Joi.object({
  company: Joi.string().trim().min(1).max(200).required(),
  shows: thing.allow(null).required().description('variant; null for the standard'),
  expected,
});
export const backBody = Joi.object({ id: Joi.number().integer().min(1).required(), expected });

export const panelBody = Joi.object({
  chosen: Joi.array().items(thing).max(60).unique().description('placements in your order'),
  shown: thing.description('placement that is open; it is shown first next time'),
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
  items: Joi.array().items(item).min(1).max(24).required().description('figures of reports, and charts of the app'),
  version: Joi.number().integer().description('version that was edited; a conflict is reported if it has changed'),
});
export const shareBody = Joi.object({
  person: email.required(),
  level: Joi.string()
    .valid(...rightLevels)
    .default('view'),
});
