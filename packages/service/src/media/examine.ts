import { readFile, stat, writeFile } from 'node:fs/promises';
import { fileTypeFromFile } from 'file-type';
import sharp from 'sharp';
import {
  isMediaType,
  isVideo,
  mediaTypes,
  mostDrawingBytes,
  mostPictureBytes,
  mostPixels,
  type MediaType,
} from '@underbell/core/media';
import { Refusal } from '@underbell/core/refusal';
import { drawInTurn } from '../render/index.ts';
import { runInThread } from '../platform/index.ts';
import { examineVideo } from './video.ts';

/** What a file is, by what is in it. Width and height in pixels. */
export interface Examined {
  readonly type: MediaType;
  readonly width: number;
  readonly height: number;
}

/** A small picture, each way at most. */
const thumbnailPixels = 480;
/** Most take milliseconds; some are made to take for ever. */
const drawingBounds = { memoryMiB: 256, timeMs: 60_000 };

const kinds = Object.values(mediaTypes)
  .map((one) => one.toUpperCase())
  .join(', ');
const unknown = (found: string) =>
  new Refusal('MEDIA_KIND_UNKNOWN', `The file is ${found}.`, { hint: `Supported: ${kinds}.` });

async function typeOf(path: string): Promise<MediaType> {
  const found = await fileTypeFromFile(path);
  if (found && isMediaType(found.mime)) return found.mime;
  if (found && found.mime !== 'application/xml') throw unknown(`of the type ${found.mime}`);
  // Text has no first bytes of its own: what begins like a drawing is looked at as one.
  const start = (await readFile(path)).subarray(0, 4_096).toString('utf8');
  if (/^\uFEFF?\s*<(?:\?xml|!--|!DOCTYPE\s+svg|svg)/i.test(start)) return 'image/svg+xml';
  throw unknown('of no type that is known here');
}

function checkSize(type: MediaType, size: number): void {
  const most = type === 'image/svg+xml' ? mostDrawingBytes : isVideo(type) ? Infinity : mostPictureBytes;
  if (size > most)
    throw new Refusal('INPUT_TOO_LARGE', `An image of type ${type} has at most ${most / 1_000_000} MB.`, {
      hint: 'Save it smaller: a screen has at most 3840 × 2160 pixels.',
    });
}

/** Draws a small one of a picture, and so finds out that it can be drawn as a whole. */
async function drawSmallPicture(path: string, thumbnail: string): Promise<{ width: number; height: number }> {
  const options = { limitInputPixels: mostPixels, failOn: 'error' } as const;
  try {
    const { width, height } = await sharp(path, options).metadata();
    const small = { width: thumbnailPixels, height: thumbnailPixels, fit: 'inside', withoutEnlargement: true } as const;
    const drawn = await drawInTurn(() => sharp(path, options).rotate().resize(small).webp().toBuffer());
    await writeFile(thumbnail, drawn);
    return { width, height };
  } catch (cause) {
    throw new Refusal(
      'MEDIA_INVALID',
      `The image cannot be read: ${(cause as Error).message.split('\n')[0]}.`,
      { hint: `It may be damaged, or have more than ${mostPixels / 1_000_000} million pixels.` },
      { cause },
    );
  }
}

/**
 * Draws a small one, and so finds out whether the whole can be shown.
 *
 * @param thumbnail - where it is written
 * @returns width and height of the whole, in pixels
 * @throws {Refusal} `MEDIA_INVALID`, `TOOL_MISSING`
 */
export const drawSmall = (path: string, type: MediaType, thumbnail: string) =>
  isVideo(type) ? examineVideo(path, type, thumbnail, thumbnailPixels) : drawSmallPicture(path, thumbnail);

/**
 * Finds out what a file is, whatever its name says, and whether it can be shown; a drawing is drawn anew, so that nothing is
 * left in it but what is seen.
 *
 * @param thumbnail - where a small picture of it is written
 * @throws {Refusal} `MEDIA_KIND_UNKNOWN`, `MEDIA_INVALID`, `INPUT_TOO_LARGE`, `TOOL_MISSING`
 */
export async function examine(path: string, thumbnail: string): Promise<Examined> {
  const { size } = await stat(path);
  if (size === 0) throw unknown('empty');
  const type = await typeOf(path);
  checkSize(type, size);
  if (type === 'image/svg+xml')
    await runInThread(new URL('../../dist/drawingThread.mjs', import.meta.url), { path }, drawingBounds);
  return { type, ...(await drawSmall(path, type, thumbnail)) };
}
