import Joi from 'joi';
import { maskPlaces, type MaskEffect, type MaskHolder } from '@underbell/core/access';
import { readAs } from '@underbell/core/check';
import { email, filter, groupName, holderOf, listMasks, listRules, requireRight, thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { ruleBody } from './schemas.ts';
import { explainFilter, tryRule, valuesOf, vocabulary } from './test.ts';
import { dropMask, dropRule, nameLimit, saveMask, saveRule } from './usecases.ts';
const named = Joi.object({ dataset: thing.required(), name: thing.required() });
const column = Joi.string().max(63).required();

const effect = readAs<MaskEffect>()(
  Joi.alternatives().conditional('.kind', {
    switch: [
      { is: 'hide', then: Joi.object({ kind: Joi.string().required(), column }) },
      {
        is: 'coarsen',
        then: Joi.object({
          kind: Joi.string().required(),
          column,
          by: Joi.alternatives()
            .conditional('.to', {
              switch: [
                { is: 'column', then: Joi.object({ to: Joi.string().required(), column }) },
                {
                  is: 'band',
                  then: Joi.object({
                    to: Joi.string().required(),
                    width: Joi.number().positive().max(1e12).required(),
                  }),
                },
              ],
              otherwise: Joi.object({
                to: Joi.string().valid('day', 'month', 'quarter', 'year', 'band', 'column').required(),
              }),
            })
            .required(),
        }),
      },
    ],
    otherwise: Joi.object({
      kind: Joi.string().valid('small groups', 'hide', 'coarsen').required(),
      rows: Joi.number().integer().min(2).max(10_000).required(),
    }),
  }),
);

const maskHolder = readAs<MaskHolder>()(
  holderOf('group', 'person', 'place').custom((value: MaskHolder, helpers) =>
    value.kind !== 'place' || maskPlaces.includes(value.name)
      ? value
      : helpers.message({ custom: `a place is one of ${maskPlaces.join(', ')}` }),
  ),
);

export const ruleRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:dataset/row-rules',
    tag: 'Row rules and masks',
    audience: 'person',
    summary: 'List the row rules of a dataset',
    params: Joi.object({ dataset: thing.required() }),
    async handle({ app, person, params }) {
      await requireRight(app, person, 'edit', 'dataset', params.dataset);
      return { rules: await listRules(app, params.dataset) };
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/datasets/:dataset/row-rules/:name',
    tag: 'Row rules and masks',
    audience: 'person',
    summary: 'Save a row rule',
    params: named,
    body: ruleBody,
    handle: async ({ app, person, params, body, origin }) => ({
      rule: await saveRule(app, person, { ...params, ...body }, origin),
    }),
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/datasets/:dataset/row-rules/:name',
    tag: 'Row rules and masks',
    audience: 'person',
    summary: 'Delete a row rule',
    status: 204,
    params: named,
    query: Joi.object({ confirmed: Joi.boolean().default(false) }),
    async handle({ app, person, params, query, origin }) {
      await dropRule(app, person, { ...params, isConfirmed: query.confirmed }, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:dataset/masks',
    tag: 'Row rules and masks',
    audience: 'person',
    summary: 'List the masks of a dataset',
    params: Joi.object({ dataset: thing.required() }),
    async handle({ app, person, params }) {
      await requireRight(app, person, 'edit', 'dataset', params.dataset);
      return { masks: await listMasks(app, params.dataset) };
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/datasets/:dataset/masks/:name',
    tag: 'Row rules and masks',
    audience: 'person',
    summary: 'Save a mask: hide a column, reduce its detail, or set a minimum group size',
    params: named,
    body: Joi.object({
      appliesTo: maskHolder.required(),
      except: Joi.array().items(groupName).unique().max(50).default([]),
      effect: effect.required(),
    }),
    handle: async ({ app, person, params, body, origin }) => ({
      mask: await saveMask(app, person, { ...params, ...body }, origin),
    }),
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/datasets/:dataset/masks/:name',
    tag: 'Row rules and masks',
    audience: 'person',
    summary: 'Delete a mask',
    status: 204,
    params: named,
    async handle({ app, person, params, origin }) {
      await dropMask(app, person, params, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:name/filter-terms',
    tag: 'Row rules and masks',
    audience: 'person',
    summary: 'List the columns, user attributes and groups that a row rule can use',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params }) => vocabulary(app, person, params.name),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/datasets/:name/row-rules/test',
    tag: 'Row rules and masks',
    audience: 'person',
    isRead: true,
    summary: 'Test a row rule as a user before it is saved',
    params: Joi.object({ name: thing.required() }),
    body: ruleBody.keys({ name: thing.default('draft'), as: email }),
    handle: ({ app, person, params, body }) => {
      const { as, ...rule } = body;
      return tryRule(app, person, { ...rule, dataset: params.name }, as);
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/datasets/:name/explain',
    tag: 'Datasets',
    audience: 'person',
    isRead: true,
    summary: 'Explain a filter, and return it as CQL2 text and JSON',
    params: Joi.object({ name: thing.required() }),
    body: Joi.object({ filter: filter.required() }),
    handle: ({ app, person, params, body }) => explainFilter(app, person, params.name, body.filter),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:name/values',
    tag: 'Datasets',
    audience: 'person',
    summary: 'List values of a column under your permissions, most frequent first',
    params: Joi.object({ name: thing.required() }),
    query: Joi.object({ column: Joi.string().max(63).required(), starts: Joi.string().max(200).allow('').default('') }),
    handle: ({ app, person, params, query }) => valuesOf(app, person, params.name, query.column, query.starts),
  }),
  ...(['rule', 'mask'] as const).map((what) =>
    defineRoute({
      method: 'put',
      path: `/api/v1/datasets/:dataset/${what === 'rule' ? 'row-rule' : what}s/:name/name`,
      tag: 'Row rules and masks',
      audience: 'person',
      summary: `Rename a ${what === 'rule' ? 'row rule' : 'mask'}`,
      params: named,
      body: Joi.object({ name: thing.required() }),
      async handle({ app, person, params, body, origin }) {
        await nameLimit(app, person, { what: what === 'rule' ? 'row rule' : what, ...params }, body.name, origin);
        return { name: body.name, formerly: params.name };
      },
    }),
  ),
];
