import { createHash } from 'node:crypto';
import { PassThrough } from 'node:stream';
import type { Context } from 'koa';
import { isRefusal } from '@underbell/core/refusal';
import type { Viewer } from '@underbell/core/access';
import { limitsOn } from '../access/index.ts';
import { perInstance, takeStream, withMemory, type App, type AskerKey, type Change } from '../platform/index.ts';

/** What a viewer looks at, and so wants to hear about. */
export interface Watched {
  readonly datasets: readonly string[];
  readonly report?: string;
  readonly placement?: string;
  readonly board?: string;
  /** Whose token opened it. */
  readonly client?: string;
}

/** Who listens, and whether they still may. */
export interface Listener {
  /** What shares its streams: a person, a token, a placement. */
  readonly shares: readonly AskerKey[];
  /** When the key that opened it ends; milliseconds since 1970-01-01T00:00:00Z. */
  readonly endsAt?: number;
  /** Looks again whether it may be told, and says by what its reader sees what they see; throws a refusal when it may not. */
  readonly look: () => Promise<string>;
  /** Whether what its reader has is not what there is: it may have changed before anybody listened. */
  readonly isLate?: () => Promise<boolean>;
}

/** A stream ends after so long; its reader comes back and is asked again who it is. */
const endAfterMs = 5 * 60_000;
const beatMs = 20_000;

/** Whether rights changed that this listener's key may have. */
const isOfRights = ({ kind, name }: Change, { client }: Watched, { shares }: Listener): boolean =>
  kind === 'rights' && (name === '' || name === `client:${client}` || shares.includes(name as AskerKey));

function concerns({ kind, name }: Change, { datasets, report, placement, board, client }: Watched): boolean {
  if (kind === 'dataset') return datasets.includes(name);
  if (kind === 'client') return name === client;
  return (kind === 'report' || kind === 'placement' || kind === 'board') && name === { report, placement, board }[kind];
}

/** A short sign of what a reader sees these datasets by: who they are, and the limits on them. */
export async function sightOf(app: App, viewer: Viewer, datasets: readonly string[]): Promise<string> {
  const sight = JSON.stringify([viewer, await limitsOn(app, datasets)]);
  return createHash('sha256').update(sight).digest('base64');
}

/** So many look at once: readers who ask meanwhile are not kept waiting. */
const looksAtOnce = 4;

/**
 * Listeners that look again because rights changed. All may have to, as often as a directory changes its people: each waits
 * its turn, once however much changes meanwhile.
 */
class Looks {
  readonly #waiting = new Set<() => Promise<void>>();
  #running = 0;

  add(look: () => Promise<void>): void {
    this.#waiting.add(look);
    if (this.#running < looksAtOnce) void this.#run();
  }

  drop(look: () => Promise<void>): void {
    this.#waiting.delete(look);
  }

  async #run(): Promise<void> {
    this.#running++;
    for (const look of this.#waiting) {
      this.#waiting.delete(look);
      await look();
    }
    this.#running--;
  }
}

const slotRequestsOf = perInstance(() => new Looks());

/**
 * Server-sent events: `changed` when what is looked at has changed. The event carries no figures; the viewer asks again
 * with its own rights.
 *
 * @see HTML Living Standard, section 9.2
 */
export function streamChanges(
  app: App,
  ctx: Context,
  watched: Watched,
  listener: Listener,
): { stream: PassThrough; type: string } {
  const giveBack = takeStream(app, listener.shares);
  const stream = new PassThrough();
  const write = (text: string) => {
    if (!stream.destroyed && !stream.writableEnded) stream.write(text);
  };
  const changed = (change: object) => `event: changed\ndata: ${JSON.stringify(change)}\n\n`;
  let seen: string | undefined;
  /** Tells only who still may look; whoever may not any more hears nothing, and the stream ends. */
  const tell = async (text: string): Promise<void> => {
    try {
      const sees = await withMemory(app, listener.look);
      // Whatever made it look: once it sees anything by another right, its reader asks again.
      write(seen === undefined || seen === sees ? text : changed({}));
      seen = sees;
    } catch (error) {
      if (!isRefusal(error)) app.log.error({ err: error }, 'a stream of changes broke off');
      stream.end();
    }
  };
  // Frames of the same browser that do not listen look for themselves; who listens is told whether anything is another.
  const tellOfRights = () => tell(changed({ kind: 'rights' }));
  const looks = slotRequestsOf(app);
  const stop = app.changes.subscribe((change) => {
    if (change === undefined) void tell(changed({}));
    else if (isOfRights(change, watched, listener)) looks.add(tellOfRights);
    else if (concerns(change, watched)) void tell(changed(change));
  });
  // What changed after its reader was let in and before anybody listened is seen now.
  void tell('');
  listener.isLate?.().then(
    (isLate) => (isLate ? tell(changed({})) : undefined),
    (error: unknown) => {
      if (!isRefusal(error)) app.log.error({ err: error }, 'what a reader has could not be compared');
    },
  );
  const beat = setInterval(() => void tell(': still here\n\n'), beatMs);
  const lastsMs = Math.min(endAfterMs, (listener.endsAt ?? Infinity) - app.now());
  const end = setTimeout(() => stream.end(), Math.max(0, lastsMs));
  stream.once('close', () => {
    stop();
    looks.drop(tellOfRights);
    giveBack();
    clearInterval(beat);
    clearTimeout(end);
  });
  ctx.req.once('close', () => stream.destroy());
  ctx.set('Cache-Control', 'no-store');
  ctx.set('X-Accel-Buffering', 'no');
  // Compression would hold events back until a block is full.
  (ctx as unknown as { compress: boolean }).compress = false;
  write('retry: 2000\n\n');
  return { stream, type: 'text/event-stream' };
}
