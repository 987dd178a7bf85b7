import Joi from 'joi';
import { defineRoute, type Route } from '../platform/index.ts';
import { answerRequest, ownRequests, requestsFor } from './requests.ts';

export const requestRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/access-requests',
    tag: 'Access',
    audience: 'person',
    summary: 'List access requests that you can decide',
    handle: async ({ app, person }) => ({ requests: await requestsFor(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/access-requests/mine',
    tag: 'Access',
    audience: 'person',
    summary: 'List your own access requests',
    handle: async ({ app, person }) => ({ requests: await ownRequests(app, person) }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/access-requests/:id/decision',
    tag: 'Access',
    audience: 'person',
    summary: 'Approve or deny an access request',
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
