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
    summary: 'Business apps that show reports, as far as you may see them',
    handle: async ({ app, person }) => ({ apps: await seenApps(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/apps/:name',
    summary: 'One business app, with what stands in it and what companies chose',
    params,
    handle: ({ app, person, params: { name } }) => showApp(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/apps/:name',
    summary: 'Make a business app known, or change it; for administrators. It is off until it is switched on',
    params,
    body: appBody,
    handle: ({ app, person, params: { name }, body, origin }) => saveApp(app, person, name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/apps/:name',
    summary: 'Take a business app away; what stood in it stays as it is. For administrators',
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
      summary: `${action === 'enable' ? 'Enable' : 'Disable'} reports in a business app, at once and everywhere; for administrators`,
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
    summary: 'Put a placement into an app, and say what companies may have there instead',
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
    summary: 'Take a placement out of an app; it stays what it is',
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
    summary: 'Choose what everybody of one company sees in a place of an app',
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
    summary: 'Have an earlier choice of a company back',
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
    summary: 'Your own side panel in an app',
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
    summary: 'Choose and order your own side panel; what is not said stays as it is',
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
    summary: 'Mixed pages of an app: your own and those shared with you, with the charts that the app brings',
    params,
    handle: ({ app, ctx, person, params: { name } }) => seenPages(app, person, name, hostOf(app, ctx)),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/apps/:name/pages/:page',
    summary: 'Save a page of figures that you may see beside the app’s own charts',
    params: pageParams,
    body: pageBody,
    handle: ({ app, person, params: { name, page }, body, origin }) => savePage(app, person, name, page, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/apps/:name/pages/:page/share',
    summary:
      'Share a page with a colleague, who sees it under their own rights; answers which figures they will not see',
    params: pageParams,
    body: shareBody,
    handle: ({ app, person, params: { name, page }, body, origin }) => sharePage(app, person, name, page, body, origin),
  }),
];

export const appRoutes: Route[] = [...setupRoutes, ...placeRoutes, ...ownRoutes];
