import Joi from 'joi';
import { maskPlaces, type Mask, type RecordRule } from '@underbell/core/access';
import { defineRoute, type Route } from '../platform/index.ts';
import { requireRight } from './rights.ts';
import { dropMask, dropRule, saveMask, saveRule } from './rules.ts';
import { listMasks, listRules } from './ruleStore.ts';
import { filter, groupName, holderOf, thing } from './schemas.ts';

type Named = { dataset: string; name: string };
const named = Joi.object({ dataset: thing.required(), name: thing.required() });
const column = Joi.string().max(63).required();

const effect = Joi.alternatives().conditional('.kind', {
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
                then: Joi.object({ to: Joi.string().required(), width: Joi.number().positive().max(1e12).required() }),
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
});

export const ruleBody = Joi.object({ appliesTo: holderOf('group', 'person').required(), where: filter.required() });

export const ruleRoutes: Route[] = [
  defineRoute<{ dataset: string }>({
    method: 'get',
    path: '/api/v1/datasets/:dataset/rules',
    tag: 'Rules',
    audience: 'person',
    summary: 'The record rules of a dataset',
    params: Joi.object({ dataset: thing.required() }),
    async handle({ app, person, params }) {
      await requireRight(app, person, 'edit', 'dataset', params.dataset);
      return { rules: await listRules(app, params.dataset) };
    },
  }),
  defineRoute<Named, Record<string, never>, Pick<RecordRule, 'appliesTo' | 'where'>>({
    method: 'put',
    path: '/api/v1/datasets/:dataset/rules/:name',
    tag: 'Rules',
    audience: 'person',
    summary: 'Save a record rule',
    params: named,
    body: ruleBody,
    handle: async ({ app, person, params, body, origin }) => ({
      rule: await saveRule(app, person, { ...params, ...body }, origin),
    }),
  }),
  defineRoute<Named, { confirmed: boolean }>({
    method: 'delete',
    path: '/api/v1/datasets/:dataset/rules/:name',
    tag: 'Rules',
    audience: 'person',
    summary: 'Remove a record rule',
    status: 204,
    params: named,
    query: Joi.object({ confirmed: Joi.boolean().default(false) }),
    async handle({ app, person, params, query, origin }) {
      await dropRule(app, person, { ...params, isConfirmed: query.confirmed }, origin);
      return null;
    },
  }),
  defineRoute<{ dataset: string }>({
    method: 'get',
    path: '/api/v1/datasets/:dataset/masks',
    tag: 'Rules',
    audience: 'person',
    summary: 'The masks of a dataset',
    params: Joi.object({ dataset: thing.required() }),
    async handle({ app, person, params }) {
      await requireRight(app, person, 'edit', 'dataset', params.dataset);
      return { masks: await listMasks(app, params.dataset) };
    },
  }),
  defineRoute<Named, Record<string, never>, Pick<Mask, 'appliesTo' | 'except' | 'effect'>>({
    method: 'put',
    path: '/api/v1/datasets/:dataset/masks/:name',
    tag: 'Rules',
    audience: 'person',
    summary: 'Save a mask: hide a column, coarsen it, or keep small groups back',
    params: named,
    body: Joi.object({
      appliesTo: holderOf('group', 'person', 'place').required(),
      except: Joi.array().items(groupName).unique().max(50).default([]),
      effect: effect.required(),
    }).custom((value: Pick<Mask, 'appliesTo'>, helpers) => {
      const { appliesTo } = value;
      if (appliesTo.kind !== 'place' || maskPlaces.includes(appliesTo.name)) return value;
      return helpers.message({ custom: `a place is one of ${maskPlaces.join(', ')}` });
    }),
    handle: async ({ app, person, params, body, origin }) => ({
      mask: await saveMask(app, person, { ...params, ...body }, origin),
    }),
  }),
  defineRoute<Named>({
    method: 'delete',
    path: '/api/v1/datasets/:dataset/masks/:name',
    tag: 'Rules',
    audience: 'person',
    summary: 'Remove a mask',
    status: 204,
    params: named,
    async handle({ app, person, params, origin }) {
      await dropMask(app, person, params, origin);
      return null;
    },
  }),
];
