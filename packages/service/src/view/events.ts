import { PassThrough } from 'node:stream';
import type { Context } from 'koa';
import { isRefusal } from '@underbell/core/refusal';
import { takeStream, type App, type Change } from '../platform/index.ts';

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
  readonly shares: readonly string[];
  /** When the key that opened it ends; milliseconds since 1970-01-01T00:00:00Z. */
  readonly endsAt?: number;
  /** Looks again whether it may be told; throws a refusal when it may not. */
  readonly look: () => Promise<unknown>;
  /** Whether what its reader has is not what there is: it may have changed before anybody listened. */
  readonly isLate?: () => Promise<boolean>;
}

/** A stream ends after so long; its reader comes back and is asked again who it is. */
const endAfterMs = 5 * 60_000;
const beatMs = 20_000;

function concerns({ kind, name }: Change, { datasets, report, placement, board, client }: Watched): boolean {
  if (kind === 'dataset') return datasets.includes(name);
  if (kind === 'client') return name === client;
  return (kind === 'report' || kind === 'placement' || kind === 'board') && name === { report, placement, board }[kind];
}

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
  /** Tells only who still may look; whoever may not any more hears nothing, and the stream ends. */
  const tell = (text: string) =>
    void listener.look().then(
      () => write(text),
      (error: unknown) => {
        if (!isRefusal(error)) app.log.error({ err: error }, 'a stream of changes broke off');
        stream.end();
      },
    );
  const stop = app.changes.subscribe((change) => {
    if (change === undefined || concerns(change, watched))
      tell(`event: changed\ndata: ${JSON.stringify(change ?? {})}\n\n`);
  });
  // What changed after its reader was let in and before anybody listened is seen now.
  tell('');
  listener.isLate?.().then(
    (isLate) => isLate && tell('event: changed\ndata: {}\n\n'),
    (error: unknown) => {
      if (!isRefusal(error)) app.log.error({ err: error }, 'what a reader has could not be compared');
    },
  );
  const beat = setInterval(() => tell(': still here\n\n'), beatMs);
  const lastsMs = Math.min(endAfterMs, (listener.endsAt ?? Infinity) - app.now());
  const end = setTimeout(() => stream.end(), Math.max(0, lastsMs));
  stream.once('close', () => {
    stop();
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
