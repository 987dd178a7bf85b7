import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import { perInstance, type App, type Change } from '../platform/index.ts';
import { readScreenToken } from './keys.ts';
import type { GroupRow, InterruptionRow, RevisionRow, ScreenRow, TargetRow } from './models.ts';
import { screensWithCommands } from './commands.ts';
import { mediaIn, slotsShown, tagOf, type ScreenSetup } from './schedule.ts';
import { findGroup, findRevision, listTargets, livingInterruptions, screenOfKey, targetsAmong } from './store.ts';

/** A screen that is known to this process, until something about it changes. */
export interface CachedScreen {
  readonly screen: ScreenRow;
  readonly keyId: string;
  readonly thumbprint: string;
}

/**
 * What beats are answered from: the records as they were read last. Every change of screens, groups and playlists is
 * announced to all processes and drops what it is about, so that thousands of beats ask the database nothing. No row of
 * anybody's data is ever decided on by it.
 */
class Live {
  readonly #app: App;
  readonly screens = new LRUCache<string, Promise<CachedScreen | undefined>>({ max: 50_000 });
  /** By screen: the key under which it is kept. */
  readonly #keyOf = new LRUCache<string, string>({ max: 50_000 });
  readonly #reading = new Set<string>();
  /** Screens that may have an order waiting: read once, then told of. */
  #ordered: Promise<Set<string>> | undefined;
  readonly #setups = new Map<string, Promise<ScreenSetup>>();
  #groups = new Map<string, Promise<GroupRow | undefined>>();
  #revisions = new Map<string, Promise<RevisionRow | undefined>>();
  #interruptions = new Map<string, Promise<InterruptionRow[]>>();
  /** By what is shown: reports and datasets behind it. */
  #behind = new Map<string, Promise<string[]>>();
  #targets: Promise<(screen: ScreenRow) => TargetRow[]> | undefined;
  #interruptedUntil = Infinity;

  constructor(app: App) {
    this.#app = app;
    const stop = app.changes.subscribe((change) => this.hear(change));
    app.atClose.add(async () => stop());
  }

  hear(change: Change | undefined): void {
    if (change === undefined || change.kind === 'report' || change.kind === 'board') this.#behind = new Map();
    if (change === undefined) {
      this.screens.clear();
      this.#ordered = undefined;
      this.#forgetSetups();
    } else if (change.kind === 'screen') {
      // Where the orders cannot be read, they are read anew at the next beat.
      this.#ordered?.then((all) => all.add(change.name)).catch(() => undefined);
      const id = this.#keyOf.get(change.name);
      if (id !== undefined) this.screens.delete(id);
      // What is being read just now may be from before.
      for (const one of this.#reading) this.screens.delete(one);
      // What the others show is decided by groups and playlists, which are announced by themselves.
      this.#setups.delete(change.name);
      this.#targets = undefined;
    } else if (change.kind === 'screen-group' || change.kind === 'playlist') this.#forgetSetups();
  }

  #forgetSetups(): void {
    this.#setups.clear();
    this.#groups = new Map();
    this.#revisions = new Map();
    this.#interruptions = new Map();
    this.#targets = undefined;
    this.#interruptedUntil = Infinity;
  }

  /** What is behind something that is shown, read once until a report or board changes. */
  behind(shown: string, read: () => Promise<string[]>): Promise<string[]> {
    return kept(this.#behind, shown, () => this.#listening(read));
  }

  screenOf(keyId: string): Promise<CachedScreen | undefined> {
    const known = this.screens.get(keyId);
    if (known) return known;
    const found = this.#listening(() => screenOfKey(this.#app, keyId)).then(
      (one) => one && { screen: one.screen, keyId, thumbprint: one.key.thumbprint },
    );
    this.screens.set(keyId, found);
    this.#reading.add(keyId);
    found.then(
      (one) => {
        this.#reading.delete(keyId);
        if (one) this.#keyOf.set(one.screen.name, keyId);
        // A key that counts no more is asked for anew.
        else this.screens.delete(keyId);
      },
      () => {
        this.#reading.delete(keyId);
        this.screens.delete(keyId);
      },
    );
    return found;
  }

  /** Whether a screen may have an order waiting; asked once, until something is announced of it. */
  async mayHaveCommand(name: string): Promise<boolean> {
    this.#ordered ??= this.#readOrdered();
    return (await this.#ordered).delete(name);
  }

  #readOrdered(): Promise<Set<string>> {
    const read = this.#listening(() => screensWithCommands(this.#app));
    read.catch(() => (this.#ordered = undefined));
    return read;
  }

  /** What decides what a screen shows. */
  setupOf(screen: ScreenRow): Promise<ScreenSetup> {
    // An interruption that has ended by itself is announced by nobody.
    if (this.#app.now() >= this.#interruptedUntil) this.#forgetSetups();
    const known = this.#setups.get(screen.name);
    if (known) return known;
    const found = this.#listening(() => this.#read(screen));
    this.#setups.set(screen.name, found);
    found.catch(() => this.#setups.delete(screen.name));
    return found;
  }

  /** What was read before its changes are heard could stay for ever. */
  async #listening<T>(read: () => Promise<T>): Promise<T> {
    await this.#app.changes.listening();
    return read();
  }

  async #read(screen: ScreenRow): Promise<ScreenSetup> {
    const app = this.#app;
    const { groupName } = screen;
    this.#targets ??= listTargets(app).then(targetsAmong);
    const [group, targetsOf, interruptions] = await Promise.all([
      kept(this.#groups, groupName, () => findGroup(app, groupName)),
      this.#targets,
      kept(this.#interruptions, groupName, () => livingInterruptions(app, groupName)),
    ]);
    for (const one of interruptions) this.#interruptedUntil = Math.min(this.#interruptedUntil, one.until.getTime());
    const own = targetsOf(screen);
    const revisions = await Promise.all(
      own.map((one) =>
        kept(this.#revisions, `${one.playlistName}.${one.revisionNumber}`, () =>
          findRevision(app, one.playlistName, one.revisionNumber),
        ),
      ),
    );
    const shown = revisions.flatMap((one) => one ?? []);
    const media = await mediaIn(app, slotsShown(shown, interruptions));
    return { screen, group: group!, revisions: shown, interruptions, media };
  }
}

/** Reads something once for all who want it; what fails is forgotten. */
function kept<T>(known: Map<string, Promise<T>>, key: string, read: () => Promise<T>): Promise<T> {
  const found = known.get(key);
  if (found) return found;
  const made = read();
  known.set(key, made);
  made.catch(() => known.delete(key));
  return made;
}

export const screenCacheOf = perInstance((app) => new Live(app));

const verifiedMs = 60_000;
/** Tokens whose signature was looked at, by their hash; each for as long as it counts at most. */
const verified = perInstance(
  () => new LRUCache<string, { readonly keyId: string; readonly thumbprint: string }>({ max: 50_000, ttl: verifiedMs }),
);

export async function verifiedToken(app: App, token: string): Promise<{ keyId: string; thumbprint: string }> {
  const known = verified(app);
  const hash = createHash('sha256').update(token).digest('base64url');
  const found = known.get(hash);
  if (found) return found;
  const read = await readScreenToken(app, token);
  known.set(hash, read);
  return read;
}

/** Changes with anything that the screen is told in advance. */
export const tagNow = async (app: App, screen: ScreenRow): Promise<string> =>
  tagOf(await screenCacheOf(app).setupOf(screen));
