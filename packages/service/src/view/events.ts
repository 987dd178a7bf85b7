import { PassThrough } from 'node:stream';
import type { Context } from 'koa';
import type { App, Change } from '../platform/index.ts';

/** What a viewer looks at, and so wants to hear about. */
export interface Watched {
  readonly datasets: readonly string[];
  readonly report?: string;
  readonly placement?: string;
  readonly board?: string;
}

/** A stream ends after so long; its reader comes back and is asked again who it is. */
const endAfterMs = 5 * 60_000;
const beatMs = 20_000;

function concerns({ kind, name }: Change, { datasets, report, placement, board }: Watched): boolean {
  if (kind === 'dataset') return datasets.includes(name);
  return name === { report, placement, board }[kind];
}

/**
 * Server-sent events: `changed` when what is looked at has changed. The event carries no figures; the viewer asks again
 * with its own rights.
 *
 * @see HTML Living Standard, section 9.2
 */
export function streamChanges(app: App, ctx: Context, watched: Watched): { stream: PassThrough; type: string } {
  const stream = new PassThrough();
  const write = (text: string) => {
    if (!stream.destroyed && !stream.writableEnded) stream.write(text);
  };
  const stop = app.changes.subscribe((change) => {
    if (change === undefined || concerns(change, watched))
      write(`event: changed\ndata: ${JSON.stringify(change ?? {})}\n\n`);
  });
  const beat = setInterval(() => write(': still here\n\n'), beatMs);
  const end = setTimeout(() => stream.end(), endAfterMs);
  stream.once('close', () => {
    stop();
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
