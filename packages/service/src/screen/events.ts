import { PassThrough } from 'node:stream';
import type { Context } from 'koa';
import { isRefusal } from '@underbell/core/refusal';
import { perInstance, type App, type Change } from '../platform/index.ts';
import type { Slot } from '@underbell/core/screen';
import { findEdition } from '../report/index.ts';
import { isBoard, reportsBehind } from './slotCheck.ts';
import { screenCacheOf, tagNow, type CachedScreen } from './screenCache.ts';
import { slotsOf } from './schedule.ts';

/** A stream ends after so long; its screen comes back and is asked again who it is. */
const endAfterMs = 10 * 60_000;
const aliveMs = 25_000;

const streams = perInstance(() => new Map<string, PassThrough>());

/** What a slot shows, with the datasets behind it. */
async function behind(app: App, slot: Slot): Promise<string[]> {
  const found = isBoard(slot) ? [`board ${slot.shows.board}`] : [];
  for (const report of await reportsBehind(app, slot)) {
    found.push(`report ${report}`);
    try {
      const { definition } = await findEdition(app, report);
      found.push(...Object.keys(definition.datasets).map((name) => `dataset ${name}`));
    } catch (error) {
      // One that is gone is told of by the slot that shows it.
      if (!isRefusal(error)) throw error;
    }
  }
  return found;
}

/** Boards and reports that a screen shows, with the datasets behind them; read once for all that show the same. */
export async function shownBy(app: App, { screen }: CachedScreen): Promise<Set<string>> {
  const live = screenCacheOf(app);
  const slots = [...slotsOf(await live.setupOf(screen)).values()];
  const all = slots.map(({ slot }) => live.behind(JSON.stringify(slot.shows), () => behind(app, slot)));
  return new Set((await Promise.all(all)).flat());
}

export const isData = ({ kind }: Change): boolean => kind === 'dataset' || kind === 'report' || kind === 'board';

/**
 * Tells a screen at once what a beat would tell it later: that its program is another, that figures have changed, that it
 * has been closed. Nothing else is said: it asks, with its own key.
 *
 * @see HTML Living Standard, section 9.2
 */
export async function streamToScreen(
  app: App,
  ctx: Context,
  live: CachedScreen,
): Promise<{ stream: PassThrough; type: string }> {
  const stream = new PassThrough();
  const all = streams(app);
  // A screen has one stream: it came back before the old one was missed.
  all.get(live.keyId)?.end();
  all.set(live.keyId, stream);
  const write = (text: string) => {
    if (!stream.destroyed && !stream.writableEnded) stream.write(text);
  };
  const say = (event: string, data: object) => write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`);
  let shown = await shownBy(app, live);
  let group = live.screen.groupName;
  const look = async (change: Change | undefined): Promise<void> => {
    const now = await screenCacheOf(app).screenOf(live.keyId);
    if (!now) {
      say('closed', {});
      stream.end();
      return;
    }
    if (change && isData(change)) {
      // What is behind it may be other things now, or the same under other names.
      shown = await shownBy(app, now);
      return say('changed', {});
    }
    if (change?.kind === 'screen' && change.name !== now.screen.name) return;
    shown = await shownBy(app, now);
    group = now.screen.groupName;
    say('program', { tag: await tagNow(app, now.screen) });
  };
  const concerns = (change: Change | undefined): boolean => {
    if (change === undefined) return true;
    if (isData(change)) return shown.has(`${change.kind} ${change.name}`);
    if (change.kind === 'screen-group') return change.name === group;
    // A playlist that follows a renaming shows other names to those that play it.
    return change.kind === 'screen' || change.kind === 'playlist';
  };
  const fail = (error: unknown) => {
    app.log.error({ err: error }, 'a stream to a screen broke off');
    stream.end();
  };
  const stop = app.changes.subscribe((change) => {
    // What this process keeps is dropped by the same change: those who keep are told first.
    if (concerns(change)) setImmediate(() => void look(change).catch(fail));
  });
  const alive = setInterval(() => write(': still here\n\n'), aliveMs);
  const end = setTimeout(() => stream.end(), endAfterMs);
  stream.once('close', () => {
    stop();
    if (all.get(live.keyId) === stream) all.delete(live.keyId);
    clearInterval(alive);
    clearTimeout(end);
  });
  ctx.req.once('close', () => stream.destroy());
  ctx.set('Cache-Control', 'no-store');
  ctx.set('X-Accel-Buffering', 'no');
  (ctx as unknown as { compress: boolean }).compress = false;
  write('retry: 3000\n\n');
  // What changed before anybody listened is seen now.
  void look({ kind: 'screen', name: live.screen.name }).catch(fail);
  return { stream, type: 'text/event-stream' };
}
