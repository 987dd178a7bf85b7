import Joi from 'joi';
import type { PersonViewer } from '@underbell/core/access';
import { costSplits, usageIntervals, readCostLimit } from '@underbell/core/usage';
import { Refusal } from '@underbell/core/refusal';
import { requireRight, thing } from '../access/index.ts';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import { dropLimit, saveLimit, showLimits } from './limits.ts';
import { costsOverTime } from './overTime.ts';
import { meterGroups, sumMeter } from './sums.sql.ts';

const dayMs = 86_400_000;
const usualDays = 30;

/** Whoever may change a report or burst sees what it costs; all costs are for administrators. */
async function requireSight(app: App, person: PersonViewer, wish: { report?: string; burst?: string }): Promise<void> {
  if (person.isAdministrator) return;
  if (wish.report === undefined && wish.burst === undefined)
    throw new Refusal('NOT_ALLOWED', 'Only administrators can see all usage.', {
      hint: 'Specify a report or burst that you can edit.',
    });
  if (wish.report !== undefined) await requireRight(app, person, 'edit', 'report', wish.report);
  if (wish.burst !== undefined) await requireRight(app, person, 'edit', 'burst', wish.burst);
}

const limitBody = Joi.object({
  folder: thing.required(),
  per: Joi.string().valid('day', 'month').required(),
  warnSeconds: Joi.number().positive(),
  stopSeconds: Joi.number().positive(),
});

const over = {
  from: Joi.date().iso().description('default: 30 days ago'),
  to: Joi.date().iso().description('default: now'),
  report: thing,
  burst: thing,
};

export const meterRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/usage/over-time',
    tag: 'Usage',
    audience: 'person',
    summary: 'Get usage by hour, day or month',
    query: Joi.object({
      per: Joi.string()
        .valid(...usageIntervals)
        .default('day'),
      by: Joi.string()
        .valid(...costSplits)
        .default('kind'),
      ...over,
    }),
    async handle({ app, person, query }) {
      const { per, by, report, burst } = query;
      await requireSight(app, person, query);
      const to = query.to ?? new Date(app.now());
      const from = query.from ?? new Date(to.getTime() - usualDays * dayMs);
      return costsOverTime(app, { per, by, from, to, ...(report ? { report } : {}), ...(burst ? { burst } : {}) });
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/usage-limits',
    tag: 'Usage',
    audience: 'person',
    summary: 'List usage limits of folders with their current use',
    handle: async ({ app, person }) => ({ limits: await showLimits(app, person) }),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/usage-limits',
    tag: 'Usage',
    audience: 'person',
    summary: 'Set the usage limit of a folder',
    body: limitBody,
    handle: ({ app, person, body, origin }) => saveLimit(app, person, readCostLimit(body), origin),
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/usage-limits/:folder',
    tag: 'Usage',
    audience: 'person',
    summary: 'Remove the usage limit of a folder',
    params: Joi.object({ folder: thing.required() }),
    async handle({ app, person, params, origin }) {
      await dropLimit(app, person, params.folder, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/usage',
    tag: 'Usage',
    audience: 'person',
    summary: 'Get total usage of views, refreshes and deliveries',
    query: Joi.object({
      by: Joi.string()
        .valid(...meterGroups)
        .default('day'),
      ...over,
    }),
    async handle({ app, person, query }) {
      const { by, report, burst } = query;
      await requireSight(app, person, query);
      const to = query.to ?? new Date(app.now() + 1);
      const from = query.from ?? new Date(to.getTime() - usualDays * dayMs);
      const only = { ...(report ? { report } : {}), ...(burst ? { burst } : {}) };
      return { by, from, to, sums: await sumMeter(app, { by, from, to, ...only }) };
    },
  }),
];
