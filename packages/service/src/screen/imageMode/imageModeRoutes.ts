import type Router from '@koa/router';
import type { Context } from 'koa';
import { isRefusal } from '@underbell/core/refusal';
import type { WallSize } from '@underbell/core/render';
import type { App } from '../../platform/index.ts';
import { setupOf } from '../schedule.ts';
import { drawTurn, drawWords, scheduledSlotOf } from './draw.ts';
import { clearKeyCookie, pictureDevice, pictureScreen, type PlayingPicture } from './key.ts';
import { againFrame, closedSvg, endedFrame } from './reconnectFrames.ts';
import { sayingPage, usualSize } from './page.ts';
import { playPage } from './playbackPage.ts';
import {
  recordPictureHeartbeat,
  rememberSize,
  identifyLabel,
  rememberDeliveredPicture,
  lastPlayState,
  type Shown,
} from './pictureFeed.ts';
import { streamPictures } from './stream.ts';
import { waitPage } from './pairingPage.ts';

const leastSide = 240;
const mostPixels = 3_840 * 2_160;

/** The size that an address says; nothing for none, or for one that no wall has. */
function sizeIn(ctx: Context): WallSize | undefined {
  const [width, height] = ['width', 'height'].map((name) => Number(ctx.query[name]));
  const isSide = (one: number | undefined) => Number.isInteger(one) && one! >= leastSide;
  if (!isSide(width) || !isSide(height) || width! * height! > mostPixels) return undefined;
  return { width: width!, height: height! };
}

const isClosed = (error: unknown): boolean =>
  isRefusal(error) && (error.code === 'SCREEN_UNPAIRED' || error.code === 'PROOF_INVALID');

/** The screen that asks; nothing for one that is closed. */
async function openScreen(app: App, ctx: Context): Promise<PlayingPicture | undefined> {
  try {
    return await pictureScreen(app, ctx);
  } catch (error) {
    if (!isClosed(error)) throw error;
    return undefined;
  }
}

async function pageFor(app: App, ctx: Context) {
  try {
    const device = await pictureDevice(app, ctx);
    return 'code' in device ? await waitPage(app, ctx, device) : await playPage(app, ctx, device, sizeIn(ctx));
  } catch (error) {
    // Whatever it is, a wall says something and looks again by itself.
    if (isClosed(error)) {
      clearKeyCookie(ctx);
      return sayingPage('This screen is unpaired.', 'A new pairing code appears in one minute.', 60);
    }
    if (!isRefusal(error)) app.log.error({ err: error }, 'a page of pictures could not be made');
    return sayingPage('Under Bell', 'Waiting for the service …', 10);
  }
}

const shownNow = async (app: App, { screen }: PlayingPicture): Promise<Shown> => {
  const setup = await setupOf(app, screen);
  return { setup, shown: await scheduledSlotOf(app, setup) };
};

async function pictureFor(app: App, ctx: Context, size: WallSize) {
  try {
    const device = await pictureScreen(app, ctx);
    const { keyId } = device.key;
    if (sizeIn(ctx)) rememberSize(app, keyId, size);
    const found = await shownNow(app, device);
    recordPictureHeartbeat(app, ctx, keyId, found);
    const said = ctx.query['name'] === 'yes' ? identifyLabel(found) : undefined;
    const drawn = await drawTurn(app, found.shown, size, said);
    rememberDeliveredPicture(app, keyId, String(ctx.query['of'] ?? ''));
    return drawn;
  } catch (error) {
    if (!isClosed(error)) throw error;
    // A page that hears nothing more lays over its last picture whatever it is given here.
    clearKeyCookie(ctx);
    ctx.status = 401;
    return drawWords(app, 'This screen is unpaired.', size);
  }
}

const onlyPictures = "default-src 'none'; img-src 'self' data:; style-src 'self' 'unsafe-inline'";

/** Sends a frame of a page to a browser that does not read it in the page itself. */
function sendFrame(ctx: Context, html: string): void {
  ctx.set('Cache-Control', 'public, max-age=86400');
  ctx.set('Content-Security-Policy', `${onlyPictures}; frame-ancestors 'self'`);
  ctx.type = 'html';
  ctx.body = html;
}

/** Sends a single picture; nothing where the device has it. */
async function sendPicture(app: App, ctx: Context): Promise<void> {
  const { png, tag } = await pictureFor(app, ctx, sizeIn(ctx) ?? usualSize);
  ctx.set('ETag', `"${tag}"`);
  ctx.set('Cache-Control', 'private, no-cache');
  if (ctx.status !== 401 && ctx.get('If-None-Match') === `"${tag}"`) {
    ctx.status = 304;
    return;
  }
  ctx.type = 'image/png';
  ctx.body = png;
}

/** Screens without scripts: a page to which pictures are added. */
export function mountPictures(app: App, router: Router): void {
  router.get('/screen/picture', async (ctx: Context) => {
    ctx.set('Cache-Control', 'no-store');
    ctx.set('Content-Security-Policy', `${onlyPictures}; frame-src 'self'; frame-ancestors 'none'`);
    ctx.set('Referrer-Policy', 'no-referrer');
    const body = await pageFor(app, ctx);
    ctx.type = 'html';
    ctx.body = body;
  });
  router.get('/screen/picture/again', (ctx: Context) => sendFrame(ctx, againFrame(sizeIn(ctx) ?? usualSize)));
  router.get('/screen/picture/ended', (ctx: Context) => sendFrame(ctx, endedFrame()));
  // A page without scripts is heard of by this: with each word of the service it asks for the next one.
  router.get('/screen/picture/here', async (ctx: Context) => {
    const device = await pictureScreen(app, ctx);
    const { keyId } = device.key;
    recordPictureHeartbeat(app, ctx, keyId, lastPlayState(app, keyId) ?? (await shownNow(app, device)));
    ctx.set('Cache-Control', 'no-store');
    ctx.status = 204;
  });
  router.get('/screen/picture/now', (ctx: Context) => sendPicture(app, ctx));
  router.get('/screen/picture/live', async (ctx: Context) => {
    const device = await openScreen(app, ctx);
    // Its single picture says that it is closed.
    if (!device) return sendPicture(app, ctx);
    ctx.set('Cache-Control', 'no-store');
    ctx.body = await streamPictures(app, ctx, device, sizeIn(ctx) ?? usualSize);
  });
  router.get('/screen/picture/closed', async (ctx: Context) => {
    ctx.set('Cache-Control', 'no-store');
    ctx.status = 204;
    if (await openScreen(app, ctx)) return;
    clearKeyCookie(ctx);
    // Firefox draws nothing that came with an error, as long as it is not made of pixels.
    ctx.status = 200;
    ctx.type = 'image/svg+xml';
    ctx.body = closedSvg;
  });
}
