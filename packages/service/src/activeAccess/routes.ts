import Joi from 'joi';
import { Readable } from 'node:stream';
import { csvLine, withoutFormula } from '@underbell/core/csv';
import { accessKinds, type ActiveAccess } from '@underbell/core/activeAccess';
import { Refusal } from '@underbell/core/refusal';
import { defineRoute, type Route } from '../platform/index.ts';
import { endDoors, openDoors } from './usecases.ts';

const about = { tag: 'Active access', audience: 'person' } as const;
const days = Joi.number().integer().min(0).max(36_500);
const filter = {
  kind: Joi.string().valid(...accessKinds),
  person: Joi.string().trim().max(200),
  of: Joi.string().trim().max(200),
  olderThanDays: days,
  unusedDays: days,
};
const headings = ['kind', 'id', 'title', 'to', 'of', 'limits', 'made by', 'made at', 'last used at', 'ends at'];

function toCsv(doors: readonly ActiveAccess<Date>[]): string {
  const lines = doors.map((one) => [
    one.kind,
    one.id,
    one.title,
    one.to,
    one.of ? `${one.of.kind} ${one.of.name}` : '',
    one.limits,
    one.madeBy ?? '',
    ...[one.madeAt, one.lastUsedAt, one.endsAt].map((at) => at?.toISOString() ?? ''),
  ]);
  return [headings, ...lines].map((one) => csvLine(one.map(withoutFormula))).join('');
}

export const openRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/active-access',
    summary: 'List active access: yours, or all for administrators',
    query: Joi.object({ ...filter, format: Joi.string().valid('json', 'csv').default('json') }),
    answer: { description: 'active access', type: ['application/json', 'text/csv'] },
    async handle({ app, person, query }) {
      const { format, ...wanted } = query;
      const found = await openDoors(app, person, wanted);
      if (format === 'json') return found;
      // A file that is read without this note says nothing of what is missing.
      if (found.failed)
        throw new Refusal('INTERNAL', `Not listed: ${found.failed.join(', ')}.`, {
          hint: 'Try again, or see the service log.',
        });
      return { stream: Readable.from([toCsv(found.open)]), type: 'text/csv; charset=utf-8' };
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/active-access/revoke',
    summary: 'Revoke active access',
    body: Joi.object({
      doors: Joi.array()
        .items(Joi.object({ kind: filter.kind.required(), id: Joi.string().max(200).required() }))
        .min(1)
        .max(1_000)
        .required(),
    }),
    handle: ({ app, person, body, origin }) => endDoors(app, person, body.doors, origin),
  }),
];
