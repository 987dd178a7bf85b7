import type { Readable } from 'node:stream';
import { LRUCache } from 'lru-cache';
import sharp from 'sharp';
import type { PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { announce, lockResource, one, receiveBytes, perInstance, type App } from '../platform/index.ts';
import { drawInTurn } from '../render/index.ts';
import { closed } from './keys.ts';
import { screenPictures, screenStates, type KeyRow, type ScreenRow } from './models.ts';
import { addCommand } from './commands.ts';
import { drawTurn, scheduledSlotOf } from './imageMode/draw.ts';
import { usualSize } from './imageMode/page.ts';
import { setupOf } from './schedule.ts';
import { requireScreen } from './screens.ts';
import { screenOfKey } from './store.ts';

const mostBytes = 300_000;
const side = 480;
/** A picture of a wall is as good as new for so long. */
const freshMs = 45_000;
/** Whoever looks asks for another one no more often. */
const askAgainMs = 20_000;

const askedOf = perInstance(() => new LRUCache<string, true>({ max: 50_000, ttl: askAgainMs }));

/** Of what others sent; a wall of ours has up to twice as many. */
const mostSent = 4_000_000;
const small = (picture: Buffer, mostPixels: number) =>
  drawInTurn(() =>
    sharp(picture, { limitInputPixels: mostPixels })
      .resize({ width: side, height: side, fit: 'inside', withoutEnlargement: true })
      .webp()
      .toBuffer(),
  );

/** How files of pixels begin. A drawing may take any time to draw, whatever its length. */
const isOfPixels = (bytes: Buffer): boolean => {
  const text = bytes.toString('latin1', 0, 12);
  return text.startsWith('\x89PNG\r\n\x1a\n') || text.startsWith('\xff\xd8\xff') || /^RIFF[^]{4}WEBP$/.test(text);
};

/**
 * Keeps what a screen sends of what is on it, drawn anew: nothing of the file itself is kept, and nothing of a screen that was
 * ended while it was sent.
 *
 * @throws {Refusal} `MEDIA_INVALID`, `INPUT_TOO_LARGE`, `SCREEN_UNPAIRED`
 */
export async function takeSnapshot(
  app: App,
  { screen: { name }, key }: { readonly screen: ScreenRow; readonly key: KeyRow },
  upload: Readable,
): Promise<void> {
  const tooLarge = new Refusal('INPUT_TOO_LARGE', `A screenshot has at most ${mostBytes / 1000} kB.`);
  const sent = await receiveBytes(upload, { maxBytes: mostBytes, tooLarge });
  if (!isOfPixels(sent))
    throw new Refusal('MEDIA_INVALID', 'A screenshot is a PNG, JPEG or WebP image.', {
      hint: 'Send one of these.',
    });
  const bytes = await small(sent, mostSent).catch((cause: unknown) => {
    throw new Refusal('MEDIA_INVALID', 'The screenshot is not an image.', {}, { cause });
  });
  await app.records.transaction(async () => {
    await lockResource(app, 'screen', name);
    if ((await screenOfKey(app, key.keyId))?.screen.name !== name) throw closed();
    await screenPictures(app).upsert({ screenName: name, takenAt: new Date(app.now()), bytes });
  });
}

/**
 * A small picture of what a screen really shows, for those who look after it: the last that it sent, while it is asked for
 * the next one. What shows pictures of ours shows what is drawn for it.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`; `NOT_FOUND` too while there is none yet
 */
export async function snapshotOf(app: App, person: PersonViewer, name: string): Promise<Buffer> {
  const screen = await requireScreen(app, person, name, 'edit');
  if (screen.endedAt !== null) throw new Refusal('NOT_FOUND', `Screen “${name}” is not paired.`, { word: name });
  if (screen.asked.isPicture) {
    const shown = await scheduledSlotOf(app, await setupOf(app, screen), false);
    const { width, height } = (await one(screenStates(app).findByPk(name)))?.shown ?? {};
    const size = width && height ? { width, height } : usualSize;
    return small((await drawTurn(app, shown, size, undefined)).png, mostSent * 3);
  }
  const found = await one(screenPictures(app).findByPk(name));
  const isFresh = found && app.now() - found.takenAt.getTime() < freshMs;
  if (!isFresh && !askedOf(app).has(name)) {
    askedOf(app).set(name, true);
    await app.records.transaction(async () => {
      await addCommand(app, name, 'send picture');
      await announce(app, { kind: 'screen', name });
    });
  }
  if (found) return found.bytes;
  throw new Refusal('NOT_FOUND', `There is no screenshot of screen “${name}” yet.`, {
    word: name,
    hint: 'The screen was asked for one and sends it when it is online.',
  });
}
