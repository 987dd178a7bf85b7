import type { Readable } from 'node:stream';
import type { Context } from 'koa';
import type { WallSize } from '@underbell/core/render';
import { timeOnWall } from '@underbell/core/screen';
import { perInstance, type App } from '../../platform/index.ts';
import { LongResponse } from './longResponse.ts';
import type { PlayingPicture } from './key.ts';
import { framesHtml } from './reconnectFrames.ts';
import { comingAgain, heldHead, overHtml, pictureHtml, wordHtml } from './page.ts';
import { OpenResponses, PictureFeed, hasCurrentPicture, type Seen } from './pictureFeed.ts';

/** A page ends after so long and comes anew, unless something ends it earlier; not all of them at once. */
const pageMs = 10 * 60_000;
const spreadMs = 3 * 60_000;
/** A page says at least so often that the service is there. */
const wordMs = 20_000;
/** A picture that was not asked for until then may have been lost on its way: it is told of anew. */
const lostMs = 15_000;

/** A device that loads its page anew may have left one behind. */
const mostPages = 4;
const pagesOf = perInstance(() => new OpenResponses(mostPages, (oldest) => oldest.drop()));

/** A word of the service, and until when what is shown is good without another. */
function wordOf(now: number, number: number, { shown: { program, found } }: Seen): string {
  const { worryMs, leaseMs, screen } = program;
  const worryAfter = (worryMs - (now - (found.asOf ?? now))) / 1000;
  const time = timeOnWall(now, now, { locale: screen.language, timeZone: screen.timeZone });
  return wordHtml({ number, time, worryAfter, leaseSeconds: leaseMs / 1000 });
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
  device: PlayingPicture,
  told: WallSize | undefined,
): Promise<Readable> {
  const { keyId } = device.key;
  const sight = new PictureFeed(app, device, told);
  const said = { pictures: 0, words: 0, mark: '', pictureAt: 0, wordAt: 0, frames: 0, size: '' };

  async function look(page: LongResponse): Promise<number> {
    const seen = await sight.look();
    if (!seen) {
      const over = overHtml('This screen is unpaired.', 'A new pairing code appears in one minute.');
      page.end(over + comingAgain(60));
      return wordMs;
    }
    if (seen.isReload) page.end();
    const { mark, title, size, name } = seen;
    const now = app.now();
    if (mark !== said.mark || (!hasCurrentPicture(app, keyId, mark) && now - said.pictureAt >= lostMs)) {
      said.mark = mark;
      said.pictureAt = now;
      page.add(pictureHtml({ number: ++said.pictures, title, mark, size: told, isNamed: name !== undefined }));
    }
    if (now - said.wordAt >= wordMs) {
      said.wordAt = now;
      // A device finds its size by itself: what it asks for when nothing more comes is to have it, too.
      const asked = JSON.stringify(size);
      if (asked !== said.size) page.add(framesHtml(++said.frames, size));
      said.size = asked;
      page.add(wordOf(now, ++said.words, seen));
    }
    return Math.max(100, Math.min(seen.until, said.wordAt + wordMs) - now);
  }

  const page = new LongResponse(app, { look, mostMs: pageMs - Math.random() * spreadMs, last: () => comingAgain(0) });
  page.add(heldHead());
  await look(page);
  return page.send(ctx, sight.concerns, pagesOf(app).join(keyId, page));
}
