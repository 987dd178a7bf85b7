import Joi from 'joi';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import {
  arePublicLinksOn,
  changePublicLink,
  endPublicLink,
  makePublicLink,
  publicLinksOf,
  switchPublicLinks,
} from './public.ts';

const about = { tag: 'Placements', audience: 'person' } as const;
const until = Joi.string().isoDate().description('expiry, within 366 days');
const note = Joi.string().trim().min(1).max(500).description('reason for public access');
const numbered = Joi.object({ id: Joi.string().max(60).required() });
const named = Joi.object({ name: thing.required() });

export const publicRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/public-links',
    summary: 'Get whether public links are enabled',
    handle: async ({ app }) => ({ isOn: await arePublicLinksOn(app) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/public-links',
    summary: 'Enable or disable public links for the installation',
    body: Joi.object({ isOn: Joi.boolean().required() }),
    async handle({ app, person, body, origin }) {
      await switchPublicLinks(app, person, body.isOn, origin);
      return body;
    },
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/public-links/:id',
    summary: 'Update the expiry or the reason of a public link',
    params: numbered,
    body: Joi.object({ until, note }).or('until', 'note'),
    handle: ({ app, person, params, body, origin }) =>
      changePublicLink(
        app,
        person,
        params.id,
        {
          ...(body.until === undefined ? {} : { until: new Date(body.until) }),
          ...(body.note === undefined ? {} : { note: body.note }),
        },
        origin,
      ),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/public-links/:id',
    summary: 'Revoke a public link',
    params: numbered,
    status: 204,
    async handle({ app, person, params, origin }) {
      await endPublicLink(app, person, params.id, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/placements/:name/public-links',
    summary: 'List the public links of a placement, and what prevents one',
    params: named,
    handle: ({ app, person, params }) => publicLinksOf(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/placements/:name/public-links',
    summary: 'Create a public link to a placement',
    params: named,
    status: 201,
    body: Joi.object({
      until: until.required(),
      note: note.required(),
    }),
    handle: ({ app, person, params, body, origin }) =>
      makePublicLink(app, person, { placement: params.name, until: new Date(body.until), note: body.note }, origin),
  }),
];
