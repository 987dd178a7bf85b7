import Joi from 'joi';
import { mediaTypes } from '@underbell/core/media';
import { defineRoute, type Route } from '../platform/index.ts';
import { oauthEndpoint } from '../token/index.ts';
import { authenticateHeartbeat, hearBeat, type Beat } from './heartbeats.ts';
import { streamToScreen } from './events.ts';
import { askingScreen } from './keys.ts';
import { screenCacheOf } from './screenCache.ts';
import { askToPair } from './pairing.ts';
import { programFor, setupOf, slotsOf } from './schedule.ts';
import { beatBody, deviceForm } from './schemas.ts';
import { takeSnapshot } from './screenshots.ts';
import { answerSlot, fileIn, slotIn } from './slots.ts';

// A screen proves its key with each question; who asks is decided in each handler, not by a session or a host's token.
const slotId = Joi.object({ id: Joi.string().max(200).required() });
const about = { tag: 'Screen devices', audience: 'anyone' } as const;

/** What screens themselves ask for. */
export const playRoutes: Route[] = [
  defineRoute({
    ...about,
    ...oauthEndpoint,
    path: '/oauth/device_authorization',
    summary: 'Start the pairing of a device (RFC 8628)',
    body: deviceForm,
    async handle({ app, ctx, body, origin }) {
      ctx.set('Cache-Control', 'no-store');
      const { client_id, browser, width, height } = body;
      return askToPair(app, client_id, {
        address: origin,
        ...(browser === undefined ? {} : { browser }),
        ...(width === undefined ? {} : { width: Number(width) }),
        ...(height === undefined ? {} : { height: Number(height) }),
      });
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen/schedule',
    summary: 'Get the program of the screen for the next hours',
    async handle({ app, ctx }) {
      const { screen } = await askingScreen(app, ctx);
      ctx.set('Cache-Control', 'no-store');
      return programFor(app, await screenCacheOf(app).setupOf(screen));
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen/slots/:id',
    isRemembered: true,
    summary: 'Get the data of a slot, under the permissions of the screen',
    params: slotId,
    async handle({ app, ctx, params: { id } }) {
      const { screen, key } = await askingScreen(app, ctx);
      return answerSlot(app, ctx, { screen, keyId: key.keyId }, slotIn(slotsOf(await setupOf(app, screen)), id));
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen/slots/:id/file',
    summary: 'Get the media of a slot, or a range of it (RFC 9110, section 14)',
    params: slotId,
    answer: { description: 'the media file', type: Object.keys(mediaTypes) },
    async handle({ app, ctx, params: { id } }) {
      const { screen } = await askingScreen(app, ctx);
      return fileIn(app, ctx, slotIn(slotsOf(await setupOf(app, screen)), id));
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screen/heartbeat',
    summary: 'Send a heartbeat with the current content',
    body: beatBody,
    handle: async ({ app, ctx, body }) => hearBeat(app, await authenticateHeartbeat(app, ctx), body as Beat),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screen/screenshot',
    summary: 'Upload a screenshot of the screen',
    consumes: 'image/*',
    status: 204,
    async handle({ app, ctx }) {
      await takeSnapshot(app, await askingScreen(app, ctx), ctx.req);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen/events',
    summary: 'Stream changes for a screen (server-sent events)',
    answer: { description: 'text/event-stream', type: 'text/event-stream' },
    handle: async ({ app, ctx }) => streamToScreen(app, ctx, await authenticateHeartbeat(app, ctx)),
  }),
];
