import Joi from 'joi';
import type { AuditRecord } from '@underbell/core/audit';
import { defineRoute, readAudit, type Route } from '../platform/index.ts';
import { requireAdministrator } from './rights.ts';

const text = Joi.string().trim().max(200);

export const auditRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/audit-log',
    tag: 'Audit log',
    audience: 'person',
    summary: 'List audit log entries, newest first (administrators)',
    query: Joi.object({
      who: text,
      thing: text,
      what: text,
      from: Joi.date().iso(),
      to: Joi.date().iso(),
      before: Joi.number().integer().min(1).max(2_147_483_647).description('entries before this number'),
      limit: Joi.number().integer().min(1).max(500).default(100),
    }),
    async handle({ app, person, query }) {
      requireAdministrator(person);
      const { limit, ...filter } = query;
      const found = await readAudit(app, filter, limit);
      const entries = found.map(({ previousHash: _previous, hash: _hash, ...entry }): AuditRecord<Date> => entry);
      return { entries };
    },
  }),
];
