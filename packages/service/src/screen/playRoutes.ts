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
const about = { tag: 'What screens ask', audience: 'anyone' } as const;

/** What screens themselves ask for. */
export const playRoutes: Route[] = [
  defineRoute({
    ...about,
    ...oauthEndpoint,
    path: '/oauth/device_authorization',
    summary: 'A code for a device that wants to be a screen (RFC 8628)',
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
    summary: 'What the screen that asks shows in the next hours',
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
    summary: 'The figures of one slot, as the screen that asks may see them',
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
    summary: 'The picture or video of one slot, or a range of its bytes (RFC 9110, section 14)',
    params: slotId,
    answer: { description: 'the file, in its own type', type: Object.keys(mediaTypes) },
    async handle({ app, ctx, params: { id } }) {
      const { screen } = await askingScreen(app, ctx);
      return fileIn(app, ctx, slotIn(slotsOf(await setupOf(app, screen)), id));
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screen/heartbeat',
    summary: 'The word of a screen that it lives, with what it shows',
    body: beatBody,
    handle: async ({ app, ctx, body }) => hearBeat(app, await authenticateHeartbeat(app, ctx), body as Beat),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screen/screenshot',
    summary: 'A small picture of what is on the screen that asks, for those who look after it',
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
    summary: 'Server-sent events: the program is another, figures have changed, the screen is closed',
    answer: { description: 'text/event-stream', type: 'text/event-stream' },
    handle: async ({ app, ctx }) => streamToScreen(app, ctx, await authenticateHeartbeat(app, ctx)),
  }),
];
