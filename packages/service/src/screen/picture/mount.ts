import type Router from '@koa/router';
import type { Context } from 'koa';
import { LRUCache } from 'lru-cache';
import { isRefusal } from '@underbell/core/refusal';
import type { WallSize } from '@underbell/core/render';
import type { App } from '../../platform/index.ts';
import { hearBeat } from '../beats.ts';
import type { KeyRow, ScreenRow } from '../models.ts';
import { setupOf } from '../program.ts';
import { changesAt, drawTurn, turnOf } from './draw.ts';
import { letGo, pictureDevice, pictureScreen } from './key.ts';
import { codePage, playingPage, sayingPage, usualSize } from './page.ts';

/** A picture stays for so long at most: within it a screen that was ended is dark. */
const mostSeconds = 10;
const nameMs = 30_000;
const leastSide = 240;
const mostPixels = 3_840 * 2_160;

/** Screens that were told to say their names, by process: until when. */
const naming = new WeakMap<App, LRUCache<string, true>>();
function namingOf(app: App): LRUCache<string, true> {
  const known = naming.get(app) ?? new LRUCache<string, true>({ max: 10_000, ttl: nameMs });
  naming.set(app, known);
  return known;
}

/** The size that an address says; nothing for none, or for one that no wall has. */
function sizeIn(ctx: Context): WallSize | undefined {
  const [width, height] = ['width', 'height'].map((name) => Number(ctx.query[name]));
  const isSide = (one: number | undefined) => Number.isInteger(one) && one! >= leastSide;
  if (!isSide(width) || !isSide(height) || width! * height! > mostPixels) return undefined;
  return { width: width!, height: height! };
}

async function play(app: App, ctx: Context, { screen, key }: { screen: ScreenRow; key: KeyRow }): Promise<string> {
  const setup = await setupOf(app, screen);
  const shown = await turnOf(app, setup);
  const { turn, program, found } = shown;
  const size = sizeIn(ctx);
  const has = Object.fromEntries(setup.revisions.map((one) => [one.playlistName, one.number]));
  const { orders } = await hearBeat(
    app,
    { screen, keyId: key.keyId, thumbprint: key.thumbprint },
    {
      ...(turn ? { slot: turn.slot.name } : {}),
      ...(turn?.stretch.playlist ? { playlist: turn.stretch.playlist, revision: turn.stretch.revision! } : {}),
      has,
      asOf: found.asOf,
      browser: ctx.get('User-Agent').slice(0, 200),
      ...size,
      problems: shown.problems,
    },
  );
  if (orders.includes('show name')) namingOf(app).set(screen.name, true);
  const leftMs = changesAt(app, shown, size ?? usualSize) - app.now();
  return playingPage(program.screen.title, Math.min(mostSeconds, leftMs / 1000 + 0.2), size);
}

async function pageFor(app: App, ctx: Context): Promise<string> {
  try {
    const device = await pictureDevice(app, ctx);
    return 'code' in device ? codePage(device.code, device.address) : await play(app, ctx, device);
  } catch (error) {
    // Whatever it is, a wall says something and looks again by itself.
    if (isRefusal(error) && (error.code === 'SCREEN_CLOSED' || error.code === 'PROOF_INVALID')) {
      letGo(ctx);
      return sayingPage('This screen is closed.', 'It shows a code again in a minute, to be taken in anew.', 60);
    }
    if (!isRefusal(error)) app.log.error({ err: error }, 'a page of pictures could not be made');
    return sayingPage('Under Bell', 'waits for the service', mostSeconds);
  }
}

/** Screens without scripts: a page that comes again by itself, with one picture. */
export function mountPictures(app: App, router: Router): void {
  router.get('/screen/picture', async (ctx: Context) => {
    ctx.set('Cache-Control', 'no-store');
    ctx.set(
      'Content-Security-Policy',
      "default-src 'none'; img-src 'self' data:; style-src 'unsafe-inline'; frame-ancestors 'none'",
    );
    ctx.set('Referrer-Policy', 'no-referrer');
    ctx.type = 'html';
    ctx.body = await pageFor(app, ctx);
  });
  router.get('/screen/picture/now', async (ctx: Context) => {
    const { screen } = await pictureScreen(app, ctx);
    const shown = await turnOf(app, await setupOf(app, screen));
    const name = namingOf(app).has(screen.name)
      ? `${screen.title} · ${screen.name} · ${shown.program.screen.group}`
      : undefined;
    const { png, tag } = await drawTurn(app, shown, sizeIn(ctx) ?? usualSize, name);
    ctx.set('ETag', `"${tag}"`);
    ctx.set('Cache-Control', 'private, no-cache');
    if (ctx.get('If-None-Match') === `"${tag}"`) {
      ctx.status = 304;
      return;
    }
    ctx.type = 'image/png';
    ctx.body = png;
  });
}
