import Joi from 'joi';
import { destinationKinds, readRate } from '@underbell/core/burst';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { pauseDestination, saveDestination, seenDestinations, showDestination, testDestination } from './usecases.ts';

const named = Joi.object({ name: thing.required() });

export const destinationRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/destinations',
    tag: 'Destinations',
    audience: 'person',
    summary: 'List destinations',
    handle: async ({ app, person }) => ({ destinations: await seenDestinations(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/destinations/:name',
    tag: 'Destinations',
    audience: 'person',
    summary: 'Get a destination',
    params: named,
    handle: ({ app, person, params }) => showDestination(app, person, params.name),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/destinations/:name',
    tag: 'Destinations',
    audience: 'person',
    summary: 'Save a destination; the secret of a webhook is returned once',
    params: named,
    body: Joi.object({
      kind: Joi.string()
        .valid(...destinationKinds)
        .required(),
      address: Joi.string().max(2000).required(),
      user: Joi.string().max(200),
      password: Joi.string().max(1000),
      from: Joi.string().max(320),
      limits: Joi.array().items(Joi.string().max(60)).max(5).default([]).description('`3 per 10 s`, `1600 per day`'),
      parallel: Joi.number().integer().min(1).max(50).default(5),
    }).required(),
    handle: ({ app, person, params, body, origin }) => {
      const { limits, ...form } = body;
      return saveDestination(app, person, params.name, { ...form, rates: limits.map(readRate) }, origin);
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/destinations/:name/test',
    tag: 'Destinations',
    audience: 'person',
    summary: 'Test a destination with a real delivery',
    params: named,
    handle: ({ app, person, params }) => testDestination(app, person, params.name),
  }),
  ...(['pause', 'resume'] as const).map((act) =>
    defineRoute({
      method: 'post',
      path: `/api/v1/destinations/:name/${act}`,
      tag: 'Destinations',
      audience: 'person',
      summary: act === 'pause' ? 'Pause a destination; runs wait for it' : 'Resume a destination',
      params: named,
      handle: ({ app, person, params, origin }) =>
        pauseDestination(app, person, params.name, { isPaused: act === 'pause', origin }),
    }),
  ),
];
