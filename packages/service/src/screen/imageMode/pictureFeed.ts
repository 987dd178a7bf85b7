import type { Context } from 'koa';
import { LRUCache } from 'lru-cache';
import type { WallSize } from '@underbell/core/render';
import { announce, perInstance, type App, type Change } from '../../platform/index.ts';
import { recordHeartbeat, noteProblems, commandsFor } from '../heartbeats.ts';
import { isData, shownBy } from '../events.ts';
import { screenCacheOf } from '../screenCache.ts';
import type { ScreenSetup } from '../schedule.ts';
import { changesAt, markLength, markOf, scheduledSlotOf, type ShownTurn } from './draw.ts';
import type { LongResponse } from './longResponse.ts';
import type { PlayingPicture } from './key.ts';
import { usualSize } from './page.ts';

const nameMs = 30_000;
const foundMs = 40_000;

/** What a device shows, with what decided it. */
export interface Shown {
  readonly setup: ScreenSetup;
  readonly shown: ShownTurn;
}

const deviceCache = perInstance(() => ({
  /** The sizes in which devices asked for their pictures, by key. */
  sizes: new LRUCache<string, WallSize>({ max: 50_000 }),
  /** The mark of the picture that each was given last, by key. */
  given: new LRUCache<string, string>({ max: 50_000 }),
  /** What was found for an answer that is open, by key. */
  found: new LRUCache<string, Shown>({ max: 10_000, ttl: foundMs }),
  /** Until when the name of a screen stands on its pictures, by key: whichever of its answers heard the order, all show it. */
  named: new LRUCache<string, number>({ max: 1_000, ttl: nameMs }),
}));

/** Remembers the size in which a device asks for its pictures: it finds that by itself. */
export const rememberSize = (app: App, keyId: string, size: WallSize): void =>
  void deviceCache(app).sizes.set(keyId, size);
export const sizeOf = (app: App, keyId: string): WallSize => deviceCache(app).sizes.get(keyId) ?? usualSize;

/** Remembers that a device was given the picture of which its page was told. */
export function rememberDeliveredPicture(app: App, keyId: string, mark: string): void {
  if (mark.length === markLength) deviceCache(app).given.set(keyId, mark);
}
export const hasCurrentPicture = (app: App, keyId: string, mark: string): boolean =>
  deviceCache(app).given.get(keyId) === mark;

/** What a key showed just now, where an answer to it is open in this process. */
export const lastPlayState = (app: App, keyId: string): Shown | undefined => deviceCache(app).found.get(keyId);

/** What is heard of a device by each of its questions. */
export function recordPictureHeartbeat(app: App, ctx: Context, keyId: string, { setup, shown }: Shown): void {
  const { turn, found, problems } = shown;
  recordHeartbeat(app, setup.screen.name, {
    ...(turn ? { slot: turn.slot.name } : {}),
    ...(turn?.stretch.playlist ? { playlist: turn.stretch.playlist, revision: turn.stretch.revision! } : {}),
    has: Object.fromEntries(setup.revisions.map((one) => [one.playlistName, one.number])),
    asOf: found.asOf,
    browser: ctx.get('User-Agent').slice(0, 200),
    ...deviceCache(app).sizes.get(keyId),
    problems,
  });
}

/** Answers that are open, by key; few of each, as a device may have left one behind. */
export class OpenResponses {
  readonly #all = new Map<string, Set<LongResponse>>();
  readonly #most: number;
  readonly #close: (oldest: LongResponse) => void;

  /** @param close - what becomes of the oldest of too many */
  constructor(most: number, close: (oldest: LongResponse) => void) {
    this.#most = most;
    this.#close = close;
  }

  /** @returns what takes it away again */
  join(keyId: string, answer: LongResponse): () => void {
    const own = this.#all.get(keyId) ?? new Set<LongResponse>();
    this.#all.set(keyId, own);
    own.add(answer);
    const [oldest] = own;
    if (own.size > this.#most && oldest) {
      // Whoever does not read it keeps it open for a while: it does not count any more.
      own.delete(oldest);
      this.#close(oldest);
    }
    return () => {
      own.delete(answer);
      if (own.size === 0 && this.#all.get(keyId) === own) this.#all.delete(keyId);
    };
  }
}

/** What a device is to see at a moment. */
export interface Seen extends Shown {
  /** As it is drawn, if the device finds none by itself. */
  readonly size: WallSize;
  /** Changes with what is seen. */
  readonly mark: string;
  readonly title: string;
  /** The name of the screen, as it stands on the picture while it is asked for. */
  readonly name: string | undefined;
  readonly isReload: boolean;
  /** When something else is to be seen, at the latest; milliseconds since 1970-01-01T00:00:00Z. */
  readonly until: number;
}

/** Looks again and again what a device is to see. */
export class PictureFeed {
  readonly #app: App;
  readonly #keyId: string;
  readonly #told: WallSize | undefined;
  #group: string;
  #behind = new Set<string>();

  /** @param told - the size that it says, if it says one */
  constructor(app: App, { screen, key }: PlayingPicture, told: WallSize | undefined) {
    this.#app = app;
    this.#keyId = key.keyId;
    this.#told = told;
    this.#group = screen.groupName;
  }

  /** @returns nothing once its key is ended */
  async look(): Promise<Seen | undefined> {
    const app = this.#app;
    const live = screenCacheOf(app);
    const found = await live.screenOf(this.#keyId);
    if (!found) return undefined;
    const orders = await commandsFor(app, found.screen.name);
    const { found: lately, named } = deviceCache(app);
    if (orders.includes('show name')) {
      named.set(this.#keyId, app.now() + nameMs);
      // The other answers of the key had nothing to hear any more: they look again.
      await announce(app, { kind: 'screen', name: found.screen.name });
    }
    const setup = await live.setupOf(found.screen);
    this.#group = found.screen.groupName;
    this.#behind = await shownBy(app, found);
    const shown = await scheduledSlotOf(app, setup, false);
    lately.set(this.#keyId, { setup, shown });
    noteProblems(app, found.screen.name, shown.problems);
    const size = this.#told ?? sizeOf(app, this.#keyId);
    const namedUntil = named.get(this.#keyId) ?? 0;
    const isNamed = app.now() < namedUntil;
    const name = isNamed ? identifyLabel({ setup, shown }) : undefined;
    const { title } = shown.program.screen;
    return {
      ...{ setup, shown, size, title, name },
      mark: markOf(app, shown, size, name),
      isReload: orders.includes('reload'),
      until: Math.min(changesAt(app, shown, size), isNamed ? namedUntil : Infinity),
    };
  }

  /** Whether its key still counts. */
  async isOpen(): Promise<boolean> {
    return (await screenCacheOf(this.#app).screenOf(this.#keyId)) !== undefined;
  }

  /** Whether a change is a reason to look; undefined where changes were missed. */
  readonly concerns = (change: Change | undefined): boolean => {
    if (change === undefined || change.kind === 'playlist') return true;
    if (isData(change)) return this.#behind.has(`${change.kind} ${change.name}`);
    return change.kind === 'screen-group' ? change.name === this.#group : change.kind === 'screen';
  };
}

/** The name of a screen, as it stands on its picture for whoever looks for it. */
export const identifyLabel = ({ setup: { screen }, shown }: Shown): string =>
  `${screen.title} · ${screen.name} · ${shown.program.screen.group}`;
