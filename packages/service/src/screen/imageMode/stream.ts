import { randomBytes } from 'node:crypto';
import type { Readable } from 'node:stream';
import type { Context } from 'koa';
import type { WallSize } from '@underbell/core/render';
import { perInstance, type App } from '../../platform/index.ts';
import { drawTurn, drawWords } from './draw.ts';
import { LongResponse } from './longResponse.ts';
import type { PlayingPicture } from './key.ts';
import { longestStepMs } from './reconnectFrames.ts';
import { recordPictureHeartbeat, OpenResponses, PictureFeed } from './pictureFeed.ts';

/** What could not go out yet is waited for. */
const behindMs = 1_000;
/** Whoever asks for pictures in steps has asked for the next ones by then. */
const mostMs = longestStepMs + 5 * 60_000;
const lookMs = 60_000;

/** What is asked for at one step, and at the one before: one of them is seen. */
const mostStreams = 2;
const streamsOf = perInstance(() => new OpenResponses(mostStreams, (oldest) => oldest.end()));

/**
 * Pictures of a screen, each in the place of the one before, until its key is ended: the last one is dark. What an earlier
 * one of the same key showed last stays when it ends.
 *
 * @see HTML Standard, "multipart/x-mixed-replace"
 */
export async function streamPictures(
  app: App,
  ctx: Context,
  device: PlayingPicture,
  size: WallSize,
): Promise<Readable> {
  const { keyId } = device.key;
  const sight = new PictureFeed(app, device, size);
  const boundary = randomBytes(18).toString('hex');
  // A browser takes a part for whole when the next one begins: so that begins at once, and the last one is sent once more.
  const next = `\r\n--${boundary}\r\nContent-Type: image/png\r\n\r\n`;
  const lastOf = (png: Uint8Array) => Buffer.concat([png, Buffer.from(`\r\n--${boundary}--\r\n`)]);
  const shown = { mark: '', png: new Uint8Array() };

  async function look(stream: LongResponse): Promise<number> {
    const seen = await sight.look();
    if (!seen) {
      stream.end(lastOf((await drawWords(app, 'This screen is unpaired.', size)).png));
      return lookMs;
    }
    if (stream.isBehind) return behindMs;
    if (seen.mark !== shown.mark) {
      const { png } = await drawTurn(app, seen.shown, size, seen.name);
      // Drawing takes its time: what is ended meanwhile is not shown any more.
      if (!(await sight.isOpen())) return 0;
      stream.add(png, next);
      if (shown.mark === '') recordPictureHeartbeat(app, ctx, keyId, seen);
      Object.assign(shown, { mark: seen.mark, png });
    }
    return Math.max(100, Math.min(seen.until - app.now(), lookMs));
  }

  const stream = new LongResponse(app, { look, mostMs, last: () => lastOf(shown.png) });
  stream.add(next.slice(2));
  ctx.type = `multipart/x-mixed-replace; boundary=${boundary}`;
  return stream.send(ctx, sight.concerns, streamsOf(app).join(keyId, stream));
}
