import Joi from 'joi';
import { thing } from '../access/index.ts';
import { defineRoute, hostOf, type Route } from '../platform/index.ts';
import { readRecord, viewWords } from '../view/index.ts';
import { removeApp, saveApp, seenApps, showApp, switchApp } from './apps.ts';
import { seenPages, savePage, sharePage } from './pages.ts';
import { savePanel, showPanel } from './panel.ts';
import { chooseForCompany, removePlace, rollBackCompany, savePlace } from './appPlacements.ts';
import { appBody, backBody, companyBody, pageBody, panelBody, placeBody, shareBody } from './schemas.ts';

const about = { tag: 'Apps', audience: 'person' } as const;
const params = Joi.object({ name: thing.required() });
const placeParams = Joi.object({ name: thing.required(), placement: thing.required() });
const besideRecord = Joi.object({ record: viewWords.record });
const pageParams = Joi.object({ name: thing.required(), page: thing.required() });

const setupRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/apps',
    summary: 'List business apps',
    handle: async ({ app, person }) => ({ apps: await seenApps(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/apps/:name',
    summary: 'Get a business app with its placements and company variants',
    params,
    handle: ({ app, person, params: { name } }) => showApp(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/apps/:name',
    summary: 'Save a business app (administrators); new apps are disabled',
    params,
    body: appBody,
    handle: ({ app, person, params: { name }, body, origin }) => saveApp(app, person, name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/apps/:name',
    summary: 'Delete a business app (administrators); its placements stay',
    params,
    status: 204,
    async handle({ app, person, params: { name }, origin }) {
      await removeApp(app, person, name, origin);
      return null;
    },
  }),
  ...(['enable', 'disable'] as const).map((action) =>
    defineRoute({
      ...about,
      method: 'post',
      path: `/api/v1/apps/:name/${action}`,
      summary: `${action === 'enable' ? 'Enable' : 'Disable'} reports in a business app (administrators)`,
      params,
      handle: ({ app, person, params: { name }, origin }) => switchApp(app, person, name, action === 'enable', origin),
    }),
  ),
];

const placeRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/apps/:name/placements/:placement',
    summary: 'Add a placement to an app, with the variants that companies can select',
    params: placeParams,
    body: placeBody,
    async handle({ app, person, params: { name, placement }, body, origin }) {
      await savePlace(app, person, name, placement, body, origin);
      return showApp(app, person, name);
    },
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/apps/:name/placements/:placement',
    summary: 'Remove a placement from an app',
    params: placeParams,
    status: 204,
    async handle({ app, person, params: { name, placement }, origin }) {
      await removePlace(app, person, name, placement, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/apps/:name/placements/:placement/variant',
    summary: 'Select the variant of a placement for one company',
    params: placeParams,
    body: companyBody,
    async handle({ app, person, params: { name, placement }, body, origin }) {
      await chooseForCompany(app, person, name, placement, body, origin);
      return showApp(app, person, name);
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/apps/:name/placements/:placement/variant/rollback',
    summary: 'Roll back to an earlier variant of a company',
    params: placeParams,
    body: backBody,
    async handle({ app, person, params: { name, placement }, body, origin }) {
      await rollBackCompany(app, person, name, placement, body, origin);
      return showApp(app, person, name);
    },
  }),
];

/** What people who use an app do for themselves. */
const ownRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/apps/:name/panel',
    summary: 'Get your side panel in an app',
    params,
    query: besideRecord,
    handle: ({ app, ctx, person, params: { name }, query }) =>
      showPanel(app, person, name, readRecord(query.record ?? []), hostOf(app, ctx)),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/apps/:name/panel',
    isForReaders: true,
    summary: 'Update your side panel in an app',
    params,
    query: besideRecord,
    body: panelBody,
    handle: ({ app, person, params: { name }, query, body }) =>
      savePanel(app, person, name, body, readRecord(query.record ?? [])),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/apps/:name/pages',
    summary: 'List custom pages of an app: yours and those shared with you',
    params,
    handle: ({ app, ctx, person, params: { name } }) => seenPages(app, person, name, hostOf(app, ctx)),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/apps/:name/pages/:page',
    summary: 'Save a custom page of report figures and charts of the app',
    params: pageParams,
    body: pageBody,
    handle: ({ app, person, params: { name, page }, body, origin }) => savePage(app, person, name, page, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/apps/:name/pages/:page/share',
    summary: 'Share a custom page; returns the figures that the user cannot view',
    params: pageParams,
    body: shareBody,
    handle: ({ app, person, params: { name, page }, body, origin }) => sharePage(app, person, name, page, body, origin),
  }),
];

export const appRoutes: Route[] = [...setupRoutes, ...placeRoutes, ...ownRoutes];
