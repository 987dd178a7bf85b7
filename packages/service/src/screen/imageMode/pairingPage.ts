import type { Readable } from 'node:stream';
import type { Context } from 'koa';
import { one, perInstance, type App } from '../../platform/index.ts';
import { screenPairings } from '../models.ts';
import { LongResponse } from './longResponse.ts';
import type { WaitingPicture } from './key.ts';
import { codeHead, codePage, comingAgain } from './page.ts';

/** Anybody may ask for a code: so many pages are held open for those who do, the others come again every few seconds. */
const mostHeld = 200;
const lookMs = 30_000;
const mostMs = 10 * 60_000;
/** A page from which nothing was heard comes again by itself. */
const codeSeconds = 60;

const heldBy = perInstance(() => new Set<LongResponse>());

/** A page with a code, which is left as soon as somebody has typed it. */
export async function waitPage(app: App, ctx: Context, device: WaitingPicture): Promise<Readable | string> {
  const { code, address, deviceFingerprint } = device;
  const pages = heldBy(app);
  if (pages.size >= mostHeld) return codePage(code, address);
  async function look(open: LongResponse): Promise<number> {
    const found = await one(screenPairings(app).findByPk(deviceFingerprint));
    const leftMs = (found?.expiresAt.getTime() ?? 0) - app.now();
    if (found?.state !== 'waiting' || leftMs <= 0) open.end();
    return Math.min(lookMs, leftMs);
  }
  const page = new LongResponse(app, { look, mostMs, last: () => comingAgain(0) });
  pages.add(page);
  page.add(codeHead(code, address, codeSeconds));
  return page.send(
    ctx,
    (change) => change === undefined || change.kind === 'screen',
    () => pages.delete(page),
  );
}
