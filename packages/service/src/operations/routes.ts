import Joi from 'joi';
import { requireAdministrator } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { retryJob, showFailedJobs, showProcesses } from './usecases.ts';

const about = { tag: 'Operations', audience: 'person' } as const;

export const operationsRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/operations/processes',
    summary: 'List the processes of the installation',
    async handle({ app, person }) {
      requireAdministrator(person);
      return showProcesses(app);
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/operations/jobs',
    summary: 'List failed and waiting jobs, newest first',
    query: Joi.object({ before: Joi.number().integer().min(1).description('jobs before this number') }),
    async handle({ app, person, query }) {
      requireAdministrator(person);
      return { jobs: await showFailedJobs(app, query.before) };
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/operations/jobs/:id/retry',
    summary: 'Retry a failed job now',
    params: Joi.object({ id: Joi.number().integer().min(1).max(2_147_483_647).required() }),
    handle: ({ app, person, params, origin }) => retryJob(app, person, params.id, origin),
  }),
];
