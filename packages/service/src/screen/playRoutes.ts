import Joi from 'joi';
import { defineRoute, type Route } from '../platform/index.ts';
import { oauthAnswer } from '../token/index.ts';
import { answerShown, showPage } from '../view/index.ts';
import { beatingScreen, hearBeat, type Beat } from './beats.ts';
import { streamToScreen } from './events.ts';
import { prepareSlot } from './fit.ts';
import { askingScreen } from './keys.ts';
import { liveOf } from './live.ts';
import { askToPair } from './pairing.ts';
import { slotIn } from './preview.ts';
import { programFor, setupOf, slotsOf } from './program.ts';
import { beatBody, deviceForm } from './schemas.ts';

// A screen proves its key with each question; who asks is decided in each handler, not by a session or a host's token.
const about = { tag: 'What screens ask', audience: 'anyone' } as const;

/** What screens themselves ask for. */
export const playRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'post',
    path: '/oauth/device_authorization',
    summary: 'A code for a device that wants to be a screen (RFC 8628)',
    body: deviceForm,
    handle: ({ app, ctx, body, origin }) =>
      oauthAnswer(ctx, () => {
        const { client_id, browser, width, height } = body;
        return askToPair(app, client_id, {
          address: origin,
          ...(browser === undefined ? {} : { browser }),
          ...(width === undefined ? {} : { width: Number(width) }),
          ...(height === undefined ? {} : { height: Number(height) }),
        });
      }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen',
    summary: 'What the screen that asks shows in the next hours',
    async handle({ app, ctx }) {
      const { screen } = await askingScreen(app, ctx);
      ctx.set('Cache-Control', 'no-store');
      return programFor(app, await liveOf(app).setupOf(screen));
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen/slots/:id',
    isRemembered: true,
    summary: 'The figures of one slot, as the screen that asks may see them',
    params: Joi.object({ id: Joi.string().max(200).required() }),
    async handle({ app, ctx, params: { id } }) {
      const { screen, key } = await askingScreen(app, ctx);
      const { slot, source } = slotIn(slotsOf(await setupOf(app, screen)), id);
      const asked = {
        asker: `screen ${key.keyId}`,
        address: `${ctx.path} ${JSON.stringify(screen.attributes)} ${screen.timeZone} ${screen.language}`,
        known: ctx.get('If-None-Match'),
      };
      answerShown(ctx, await showPage(app, asked, () => prepareSlot(app, screen, source, slot)));
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/screen/beat',
    summary: 'The word of a screen that it lives, with what it shows',
    body: beatBody,
    handle: async ({ app, ctx, body }) => hearBeat(app, await beatingScreen(app, ctx), body as Beat),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/screen/events',
    summary: 'Server-sent events: the program is another, figures have changed, the screen is closed',
    answer: { description: 'text/event-stream', type: 'text/event-stream' },
    handle: async ({ app, ctx }) => streamToScreen(app, ctx, await beatingScreen(app, ctx)),
  }),
];
