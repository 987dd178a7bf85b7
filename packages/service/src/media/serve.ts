import { createReadStream, existsSync } from 'node:fs';
import { rm, stat } from 'node:fs/promises';
import type { Context } from 'koa';
import { LRUCache } from 'lru-cache';
import parseRange from 'range-parser';
import { mediaTypes } from '@underbell/core/media';
import { Refusal } from '@underbell/core/refusal';
import type { Answer, App } from '../platform/index.ts';
import { drawSmall } from './examine.ts';
import { fileOf, incomingFile, keepFile, thumbnailOf } from './files.ts';
import type { VersionRow } from './models.ts';

/** Whatever a file is made of, opened by itself it acts on nothing and fetches nothing. */
function guard(ctx: Context): void {
  ctx.set('Content-Security-Policy', "default-src 'none'; style-src 'unsafe-inline'; sandbox");
  ctx.set('X-Content-Type-Options', 'nosniff');
  ctx.set('Cache-Control', 'private, no-cache');
  (ctx as unknown as { compress: boolean }).compress = false;
}

/** Whether whoever asks has it already. @returns nothing to be sent again */
function isKnown(ctx: Context, tag: string): boolean {
  ctx.set('ETag', tag);
  if (ctx.get('If-None-Match') !== tag) return false;
  ctx.status = 304;
  return true;
}

/**
 * A file, or a range of its bytes.
 *
 * @see RFC 9110, section 14
 */
export async function serveFile(app: App, ctx: Context, { hash, type, fileName }: VersionRow): Promise<Answer> {
  guard(ctx);
  const tag = `"${hash}"`;
  if (isKnown(ctx, tag)) return null;
  const path = fileOf(app, hash);
  const { size } = await stat(path).catch((cause: unknown) => {
    throw new Refusal('NOT_FOUND', `The file ${fileName} is no longer on the disk.`, { word: fileName }, { cause });
  });
  ctx.set('Accept-Ranges', 'bytes');
  ctx.attachment(fileName.includes('.') ? fileName : `${fileName}.${mediaTypes[type]}`, { type: 'inline' });
  const condition = ctx.get('If-Range');
  const wanted = ctx.get('Range');
  const ranges = wanted && (condition === '' || condition === tag) ? parseRange(size, wanted) : -2;
  if (ranges === -1) {
    ctx.status = 416;
    ctx.set('Content-Range', `bytes */${size}`);
    ctx.body = '';
    return null;
  }
  // Several at once are asked for by nobody who plays something: the whole is a good answer, too.
  const one = ranges === -2 || ranges.type !== 'bytes' || ranges.length !== 1 ? undefined : ranges[0]!;
  if (!one) {
    ctx.type = type;
    ctx.body = createReadStream(path);
    ctx.length = size;
    return null;
  }
  ctx.status = 206;
  ctx.set('Content-Range', `bytes ${one.start}-${one.end}/${size}`);
  ctx.type = type;
  ctx.body = createReadStream(path, one);
  ctx.length = one.end - one.start + 1;
  return null;
}

/** By place: small pictures that are being drawn, and for a while those that could not be. */
const drawing = new LRUCache<string, Promise<void>>({ max: 10_000, ttl: 60_000 });

/** Draws the small picture of what was put in before such as it had one. */
async function drawMissing(app: App, { hash, type }: VersionRow): Promise<void> {
  const place = thumbnailOf(app, hash);
  if (existsSync(place)) return;
  let drawn = drawing.get(place);
  if (!drawn) {
    drawn = (async () => {
      const path = await incomingFile(app);
      try {
        await drawSmall(fileOf(app, hash), type, path);
        await keepFile(path, place);
        drawing.delete(place);
      } finally {
        await rm(path, { force: true });
      }
    })();
    drawing.set(place, drawn);
  }
  await drawn;
}

/** A small picture of it, at most 480 pixels wide and high. @throws {Refusal} `MEDIA_INVALID`, `TOOL_MISSING` */
export async function serveThumbnail(app: App, ctx: Context, version: VersionRow): Promise<Answer> {
  const { hash } = version;
  await drawMissing(app, version);
  guard(ctx);
  if (isKnown(ctx, `"${hash} small"`)) return null;
  return { stream: createReadStream(thumbnailOf(app, hash)), type: 'image/webp' };
}
