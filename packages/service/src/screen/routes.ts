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
    summary: 'What may be said of each screen, for `screen(…)` in filters',
    handle: async ({ app }) => ({ attributes: await declaredAttributes(app) }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/screen-attributes',
    summary: 'Say what may be said of each screen; for administrators',
    body: attributesBody,
    handle: async ({ app, person, body, origin }) => ({
      attributes: await declareAttributes(app, person, body.attributes, origin),
    }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen-groups',
    summary: 'Groups of screens that you may see',
    handle: async ({ app, person }) => ({ groups: await seenGroups(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen-groups/:name',
    summary: 'One group of screens, with what interrupts it',
    params: named,
    handle: ({ app, person, params }) => showGroup(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/screen-groups/:name',
    summary: 'Make a group of screens, or change it',
    params: named,
    body: groupBody,
    handle: ({ app, person, params, body, origin }) => saveGroup(app, person, params.name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/screen-groups/:name',
    summary: 'Take away a group that has no screens',
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
    summary: 'Let all screens of a group show one thing now, before everything else, until an instant',
    params: named,
    body: interruptBody,
    handle: ({ app, person, params, body, origin }) =>
      interrupt(app, person, params.name, { slot: body.slot, until: new Date(body.until) }, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/screen-groups/:name/overrides/:id',
    summary: 'End an interruption before its time',
    params: interruptionParams,
    handle: ({ app, person, params, origin }) => endInterruption(app, person, params.name, params.id, origin),
  }),
];

const screenRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens',
    summary: 'The screens that you may see: first those with which something is wrong',
    query: fleetQuery,
    handle: ({ app, person, query }) => fleetPart(app, person, query),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen-counts',
    summary: 'How many screens that you may see are in which state, a few seconds old at most',
    handle: async ({ app, person }) => ({ counts: await screenCounts(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name',
    summary: 'One screen: what it shows, what it should show, what happened to it',
    params: named,
    handle: ({ app, person, params }) => showScreen(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/schedule',
    summary: 'What a screen shows from an instant on, as the player is told it; for those who look after it',
    params: named,
    query: programQuery,
    handle: ({ app, person, params, query }) => previewProgram(app, person, params.name, query.at),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/slots/:id',
    isRemembered: true,
    summary: 'The figures of one slot of a screen, under that screen’s rights; for those who look after it',
    params: slotParams,
    handle: ({ app, person, params }) => previewSlot(app, person, params.name, params.id),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/slots/:id/file',
    summary: 'The picture or video of one slot of a screen; for those who look after it',
    params: slotParams,
    answer: { description: 'the file, in its own type', type: Object.keys(mediaTypes) },
    handle: ({ app, ctx, person, params }) => previewFile(app, ctx, person, params),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screens/:name/screenshot',
    summary: 'A small picture of what a screen really shows; for those who look after it',
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
    summary: 'Say something else of a screen',
    params: named,
    body: screenBody,
    handle: ({ app, person, params, body, origin }) => changeScreen(app, person, params.name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screens/:name/commands',
    summary: 'Tell a screen to load itself anew, or to show its name',
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
    summary: 'End the key of a screen: its picture goes, and what it keeps is deleted',
    params: named,
    handle: ({ app, person, params, origin }) => endScreen(app, person, params.name, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/screens/:name',
    summary: 'Take a screen that was ended out of the list',
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
    summary: 'The device that shows a code',
    params: codeParams,
    handle: ({ app, person, params }) => lookAtCode(app, person, params.code),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/pairing-codes/:code',
    summary: 'Take the device that shows a code in as a screen (RFC 8628)',
    params: codeParams,
    body: pairBody,
    status: 201,
    handle: ({ app, person, params, body, origin }) => pairScreen(app, person, params.code, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/pairing-codes/:code',
    summary: 'Refuse the device that shows a code',
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
    summary: 'The playlists that you may see',
    handle: async ({ app, person }) => ({ playlists: await seenPlaylists(app, person) }),
  }),
  defineRoute({
    ...lists,
    method: 'put',
    path: '/api/v1/playlists',
    summary: 'Save a playlist; screens show what was published last until it is published again',
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
    summary: 'One playlist: its revisions, and which screen has which',
    params: named,
    handle: ({ app, person, params }) => showPlaylist(app, person, params.name),
  }),
  defineRoute({
    ...lists,
    method: 'delete',
    path: '/api/v1/playlists/:name',
    summary: 'Take away a playlist that is published nowhere',
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
    summary: 'What publishing it would mean: which screens, what changes, what does not fit',
    params: named,
    body: planBody,
    isRead: true,
    handle: ({ app, person, params, body }) => planPublication(app, person, params.name, body.targets),
  }),
  defineRoute({
    ...lists,
    method: 'post',
    path: '/api/v1/playlists/:name/publish',
    summary: 'Publish a playlist to screens and groups as its next revision: to all of them, or to none',
    params: named,
    body: publishBody,
    handle: ({ app, person, params, body, origin }) => publishPlaylist(app, person, params.name, body, origin),
  }),
  defineRoute({
    ...lists,
    method: 'post',
    path: '/api/v1/playlists/:name/rollback',
    summary: 'Publish an earlier revision once more, where the playlist stands now',
    params: named,
    body: backBody,
    handle: ({ app, person, params, body, origin }) =>
      rollBackPlaylist(app, person, params.name, body.revision, origin),
  }),
  defineRoute({
    ...lists,
    method: 'post',
    path: '/api/v1/playlists/:name/unpublish',
    summary: 'Take a playlist from a screen or group',
    params: named,
    body: withdrawBody,
    handle: ({ app, person, params, body, origin }) => withdrawPlaylist(app, person, params.name, body.target, origin),
  }),
];

export const screenAdminRoutes: Route[] = [...groupRoutes, ...screenRoutes, ...playlistRoutes];
