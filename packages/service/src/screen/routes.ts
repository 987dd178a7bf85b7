import { Readable } from 'node:stream';
import { mediaTypes } from '@underbell/core/media';
import { playlistSchema } from '@underbell/core/screen';
import { defineRoute, formatRoute, type Route } from '../platform/index.ts';
import { declareAttributes, declaredAttributes, removeGroup, saveGroup, seenGroups, showGroup } from './groups.ts';
import { endInterruption, interrupt } from './overrides.ts';
import { lookAtCode, pairScreen, refuseDevice } from './pairing.ts';
import { removePlaylist, savePlaylist, seenPlaylists, showPlaylist } from './playlists.ts';
import { planPublication, publishPlaylist, rollBackPlaylist, withdrawPlaylist } from './publish.ts';
import {
  attributesBody,
  backBody,
  codeParams,
  fleetQuery,
  groupBody,
  interruptBody,
  interruptionParams,
  named,
  orderBody,
  pairBody,
  planBody,
  programQuery,
  slotParams,
  playlistBody,
  publishBody,
  screenBody,
  withdrawBody,
} from './schemas.ts';
import { previewFile, previewProgram, previewSlot } from './preview.ts';
import { snapshotOf } from './screenshots.ts';
import { changeScreen, endScreen, fleetPart, orderScreen, removeScreen, screenCounts, showScreen } from './screens.ts';

const about = { tag: 'Screens', audience: 'person' } as const;
const lists = { tag: 'Playlists', audience: 'person' } as const;

const groupRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen-attributes',
    summary: 'List screen attributes',
    handle: async ({ app }) => ({ attributes: await declaredAttributes(app) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/screen-attributes',
    summary: 'Set screen attributes (administrators)',
    body: attributesBody,
    handle: async ({ app, person, body, origin }) => ({
      attributes: await declareAttributes(app, person, body.attributes, origin),
    }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen-groups',
    summary: 'List screen groups',
    handle: async ({ app, person }) => ({ groups: await seenGroups(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen-groups/:name',
    summary: 'Get a screen group with its override',
    params: named,
    handle: ({ app, person, params }) => showGroup(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/screen-groups/:name',
    summary: 'Save a screen group',
    params: named,
    body: groupBody,
    handle: ({ app, person, params, body, origin }) => saveGroup(app, person, params.name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/screen-groups/:name',
    summary: 'Delete a screen group without screens',
    params: named,
    status: 204,
    async handle({ app, person, params, origin }) {
      await removeGroup(app, person, params.name, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screen-groups/:name/overrides',
    summary: 'Start an override on all screens of a group',
    params: named,
    body: interruptBody,
    handle: ({ app, person, params, body, origin }) =>
      interrupt(app, person, params.name, { slot: body.slot, until: new Date(body.until) }, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/screen-groups/:name/overrides/:id',
    summary: 'End an override',
    params: interruptionParams,
    handle: ({ app, person, params, origin }) => endInterruption(app, person, params.name, params.id, origin),
  }),
];

const screenRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens',
    summary: 'List screens, those with problems first',
    query: fleetQuery,
    handle: ({ app, person, query }) => fleetPart(app, person, query),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen-counts',
    summary: 'Count screens by status',
    handle: async ({ app, person }) => ({ counts: await screenCounts(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name',
    summary: 'Get a screen with its content and history',
    params: named,
    handle: ({ app, person, params }) => showScreen(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/schedule',
    summary: 'Get the program of a screen from a time on',
    params: named,
    query: programQuery,
    handle: ({ app, person, params, query }) => previewProgram(app, person, params.name, query.at),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/slots/:id',
    isRemembered: true,
    summary: 'Get the data of a slot under the permissions of the screen',
    params: slotParams,
    handle: ({ app, person, params }) => previewSlot(app, person, params.name, params.id),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/slots/:id/file',
    summary: 'Get the media of a slot of a screen',
    params: slotParams,
    answer: { description: 'the media file', type: Object.keys(mediaTypes) },
    handle: ({ app, ctx, person, params }) => previewFile(app, ctx, person, params),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/screenshot',
    summary: 'Get the latest screenshot of a screen',
    params: named,
    answer: { description: 'WebP, at most 480 pixels wide and high', type: 'image/webp' },
    async handle({ app, ctx, person, params }) {
      const picture = await snapshotOf(app, person, params.name);
      ctx.set('Cache-Control', 'private, no-store');
      return { stream: Readable.from([picture]), type: 'image/webp' };
    },
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/screens/:name',
    summary: 'Update a screen',
    params: named,
    body: screenBody,
    handle: ({ app, person, params, body, origin }) => changeScreen(app, person, params.name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screens/:name/commands',
    summary: 'Send a command to a screen: reload or identify',
    params: named,
    body: orderBody,
    status: 202,
    async handle({ app, person, params, body, origin }) {
      await orderScreen(app, person, params.name, body.order, origin);
      return { isTold: true };
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screens/:name/unpair',
    summary: 'Unpair a screen; its content is deleted',
    params: named,
    handle: ({ app, person, params, origin }) => endScreen(app, person, params.name, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/screens/:name',
    summary: 'Delete an unpaired screen',
    params: named,
    status: 204,
    async handle({ app, person, params, origin }) {
      await removeScreen(app, person, params.name, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/pairing-codes/:code',
    summary: 'Get the device that shows a pairing code',
    params: codeParams,
    handle: ({ app, person, params }) => lookAtCode(app, person, params.code),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/pairing-codes/:code',
    summary: 'Pair the device that shows a code (RFC 8628)',
    params: codeParams,
    body: pairBody,
    status: 201,
    handle: ({ app, person, params, body, origin }) => pairScreen(app, person, params.code, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/pairing-codes/:code',
    summary: 'Reject the device that shows a code',
    params: codeParams,
    status: 204,
    async handle({ app, person, params }) {
      await refuseDevice(app, person, params.code);
      return null;
    },
  }),
];

const playlistRoutes: Route[] = [
  formatRoute('playlist', playlistSchema),
  defineRoute({
    ...lists,
    method: 'get',
    path: '/api/v1/playlists',
    summary: 'List playlists',
    handle: async ({ app, person }) => ({ playlists: await seenPlaylists(app, person) }),
  }),
  defineRoute({
    ...lists,
    method: 'put',
    path: '/api/v1/playlists',
    summary: 'Save a playlist; screens keep the published version',
    body: playlistBody,
    handle: ({ app, person, body, origin }) =>
      savePlaylist(app, person, body.definition, {
        origin,
        ...(body.expected === undefined ? {} : { expected: body.expected }),
      }),
  }),
  defineRoute({
    ...lists,
    method: 'get',
    path: '/api/v1/playlists/:name',
    summary: 'Get a playlist with its versions and screens',
    params: named,
    handle: ({ app, person, params }) => showPlaylist(app, person, params.name),
  }),
  defineRoute({
    ...lists,
    method: 'delete',
    path: '/api/v1/playlists/:name',
    summary: 'Delete a playlist that is not published',
    params: named,
    status: 204,
    async handle({ app, person, params, origin }) {
      await removePlaylist(app, person, params.name, origin);
      return null;
    },
  }),
  defineRoute({
    ...lists,
    method: 'post',
    path: '/api/v1/playlists/:name/preview',
    summary: 'Preview a publication: screens, changes and errors',
    params: named,
    body: planBody,
    isRead: true,
    handle: ({ app, person, params, body }) => planPublication(app, person, params.name, body.targets),
  }),
  defineRoute({
    ...lists,
    method: 'post',
    path: '/api/v1/playlists/:name/publish',
    summary: 'Publish a playlist to screens and groups as its next version',
    params: named,
    body: publishBody,
    handle: ({ app, person, params, body, origin }) => publishPlaylist(app, person, params.name, body, origin),
  }),
  defineRoute({
    ...lists,
    method: 'post',
    path: '/api/v1/playlists/:name/rollback',
    summary: 'Roll back to an earlier version of a playlist',
    params: named,
    body: backBody,
    handle: ({ app, person, params, body, origin }) =>
      rollBackPlaylist(app, person, params.name, body.revision, origin),
  }),
  defineRoute({
    ...lists,
    method: 'post',
    path: '/api/v1/playlists/:name/unpublish',
    summary: 'Remove a playlist from a screen or group',
    params: named,
    body: withdrawBody,
    handle: ({ app, person, params, body, origin }) => withdrawPlaylist(app, person, params.name, body.target, origin),
  }),
];

export const screenAdminRoutes: Route[] = [...groupRoutes, ...screenRoutes, ...playlistRoutes];
