import type { Readable } from 'node:stream';
import type { Context } from 'koa';
import { LRUCache } from 'lru-cache';
import type { WallSize } from '@underbell/core/render';
import { timeOnWall } from '@underbell/core/screen';
import type { App, Change } from '../../platform/index.ts';
import { noteBeat, noteProblems, ordersFor } from '../beats.ts';
import { isData, shownBy } from '../events.ts';
import { liveOf } from '../live.ts';
import type { ScreenSetup } from '../program.ts';
import { changesAt, markLength, markOf, turnOf, type ShownTurn } from './draw.ts';
import { HeldPage } from './held.ts';
import type { PlayingPicture } from './key.ts';
import { heldHead, overHtml, pictureHtml, usualSize, wordHtml } from './page.ts';

/** A page says at least so often that the service is there. */
const wordMs = 20_000;
const nameMs = 30_000;
/** A picture that was not asked for until then may have been lost on its way: it is told of anew. */
const lostMs = 15_000;
/** Of one key: a device that loads its page anew may have left one behind. */
const mostPages = 4;

/** What a device shows, with what decided it. */
export interface Shown {
  readonly setup: ScreenSetup;
  readonly shown: ShownTurn;
}

interface Playing {
  readonly pages: Map<string, Set<HeldPage>>;
  /** The sizes in which devices asked for their pictures, by key. */
  readonly sizes: LRUCache<string, WallSize>;
  /** The mark of the picture that each was given last, by key. */
  readonly given: LRUCache<string, string>;
  /** What was found for a page that is open, by key. */
  readonly found: LRUCache<string, Shown>;
}
const all = new WeakMap<App, Playing>();

function playingOf(app: App): Playing {
  const known = all.get(app);
  if (known) return known;
  const made: Playing = {
    pages: new Map(),
    sizes: new LRUCache({ max: 50_000 }),
    given: new LRUCache({ max: 50_000 }),
    found: new LRUCache({ max: 10_000, ttl: 2 * wordMs }),
  };
  all.set(app, made);
  return made;
}

/** Remembers the size in which a device asks for its pictures: it finds that by itself. */
export const learnSize = (app: App, keyId: string, size: WallSize): void => void playingOf(app).sizes.set(keyId, size);

/** Remembers that a device was given the picture of which its page was told. */
export function noteGiven(app: App, keyId: string, mark: string): void {
  if (mark.length === markLength) playingOf(app).given.set(keyId, mark);
}

const sizeOf = (app: App, keyId: string): WallSize | undefined => playingOf(app).sizes.get(keyId);

/** What the page of a key showed just now, where it is open in this process. */
export const shownLast = (app: App, keyId: string): Shown | undefined => playingOf(app).found.get(keyId);

/** What is heard of a device by each of its questions. */
export function hearPicture(app: App, ctx: Context, keyId: string, { setup, shown }: Shown): void {
  const { turn, found, problems } = shown;
  noteBeat(app, setup.screen.name, {
    ...(turn ? { slot: turn.slot.name } : {}),
    ...(turn?.stretch.playlist ? { playlist: turn.stretch.playlist, revision: turn.stretch.revision! } : {}),
    has: Object.fromEntries(setup.revisions.map((one) => [one.playlistName, one.number])),
    asOf: found.asOf,
    browser: ctx.get('User-Agent').slice(0, 200),
    ...sizeOf(app, keyId),
    problems,
  });
}

/** The pages of a key, the oldest of too many left alone. */
function joinPages(app: App, keyId: string, page: HeldPage): Set<HeldPage> {
  const { pages } = playingOf(app);
  const own = pages.get(keyId) ?? new Set<HeldPage>();
  pages.set(keyId, own);
  own.add(page);
  if (own.size > mostPages) [...own][0]!.drop();
  return own;
}

/**
 * A page of a screen without scripts: its picture, and the next one as soon as something else is to be seen, until its key
 * is ended. When nothing more comes, it says so and asks by itself.
 *
 * @param told - the size that its address says
 */
export async function playPage(
  app: App,
  ctx: Context,
  { screen, key: { keyId } }: PlayingPicture,
  told: WallSize | undefined,
): Promise<Readable> {
  const live = liveOf(app);
  const said = { pictures: 0, words: 0, mark: '', pictureAt: 0, wordAt: 0, namedUntil: 0 };
  let group = screen.groupName;
  let behind = new Set<string>();

  async function look(page: HeldPage): Promise<number> {
    const found = await live.screenOf(keyId);
    if (!found) {
      page.end(60, overHtml('This screen is closed.', 'It shows a code again in a minute, to be taken in anew.'));
      return wordMs;
    }
    const orders = await ordersFor(app, found.screen.name);
    if (orders.includes('show name')) said.namedUntil = app.now() + nameMs;
    if (orders.includes('reload')) page.end(0);
    const setup = await live.setupOf(found.screen);
    group = found.screen.groupName;
    behind = await shownBy(app, found);
    const shown = await turnOf(app, setup, false);
    playingOf(app).found.set(keyId, { setup, shown });
    noteProblems(app, found.screen.name, shown.problems);
    const size = told ?? sizeOf(app, keyId) ?? usualSize;
    const isNamed = app.now() < said.namedUntil;
    const { title, timeZone, language: locale } = shown.program.screen;
    const mark = markOf(app, shown, size, isNamed ? title : undefined);
    const now = app.now();
    const isLost = playingOf(app).given.get(keyId) !== mark && now - said.pictureAt >= lostMs;
    if (mark !== said.mark || isLost) {
      said.mark = mark;
      said.pictureAt = now;
      page.add(pictureHtml({ number: ++said.pictures, title, mark, size: told, isNamed }));
    }
    if (now - said.wordAt >= wordMs) {
      said.wordAt = now;
      const { worryMs, leaseMs } = shown.program;
      const worryAfter = (worryMs - (now - (shown.found.asOf ?? now))) / 1000;
      const time = timeOnWall(now, now, { locale, timeZone });
      page.add(wordHtml({ number: ++said.words, time, worryAfter, leaseSeconds: leaseMs / 1000 }));
    }
    return Math.max(100, Math.min(changesAt(app, shown, size), said.wordAt + wordMs) - now);
  }

  function concerns(change: Change | undefined): boolean {
    if (change === undefined || change.kind === 'playlist') return true;
    if (isData(change)) return behind.has(`${change.kind} ${change.name}`);
    return change.kind === 'screen-group' ? change.name === group : change.kind === 'screen';
  }

  const page = new HeldPage(app, look);
  page.add(heldHead(told ?? sizeOf(app, keyId) ?? usualSize));
  await look(page);
  const own = joinPages(app, keyId, page);
  return page.send(ctx, concerns, () => {
    own.delete(page);
    const { pages } = playingOf(app);
    if (own.size === 0 && pages.get(keyId) === own) pages.delete(keyId);
  });
}
