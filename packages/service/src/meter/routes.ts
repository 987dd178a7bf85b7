import Joi from 'joi';
import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { requireRight, thing } from '../access/index.ts';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import { meterGroups, sumMeter, type MeterGroup } from './store.ts';

const dayMs = 86_400_000;
const usualDays = 30;

/** Whoever may change a report or burst sees what it costs; all costs are for administrators. */
async function requireSight(app: App, person: PersonViewer, wish: { report?: string; burst?: string }): Promise<void> {
  if (person.isAdministrator) return;
  if (wish.report === undefined && wish.burst === undefined)
    throw new Refusal('NOT_ALLOWED', 'the costs of everything are for administrators', {
      hint: 'name a report or burst that you may change',
    });
  if (wish.report !== undefined) await requireRight(app, person, 'edit', 'report', wish.report);
  if (wish.burst !== undefined) await requireRight(app, person, 'edit', 'burst', wish.burst);
}

export const meterRoutes: Route[] = [
  defineRoute<Record<string, never>, { by: MeterGroup; from?: Date; to?: Date; report?: string; burst?: string }>({
    method: 'get',
    path: '/api/v1/meter',
    tag: 'Meter',
    audience: 'person',
    summary: 'What views, refreshes and deliveries cost, added up',
    query: Joi.object({
      by: Joi.string()
        .valid(...meterGroups)
        .default('day'),
      from: Joi.date().iso().description('30 days ago when left out'),
      to: Joi.date().iso().description('now when left out'),
      report: thing,
      burst: thing,
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
