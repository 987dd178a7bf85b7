import Joi from 'joi';
import { defineRoute, type Route } from '../platform/index.ts';
import { answerRequest, ownRequests, requestsFor } from './requests.ts';

export const requestRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/access-requests',
    tag: 'People',
    audience: 'person',
    summary: 'Requests for access that you may answer',
    handle: async ({ app, person }) => ({ requests: await requestsFor(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/access-requests/mine',
    tag: 'People',
    audience: 'person',
    summary: 'Your own requests for access, with their answers',
    handle: async ({ app, person }) => ({ requests: await ownRequests(app, person) }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/access-requests/:id/decision',
    tag: 'People',
    audience: 'person',
    summary: 'Answer a request once: with a right, or with words',
    status: 204,
    params: Joi.object({ id: Joi.number().integer().required() }),
    body: Joi.object({
      level: Joi.string().valid('view', 'export', 'edit'),
      words: Joi.string().trim().max(2000).allow('').default(''),
    }),
    async handle({ app, person, params, body, origin }) {
      await answerRequest(app, person, params.id, body, origin);
      return null;
    },
  }),
];
