import { createWriteStream } from 'node:fs';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Refusal } from '@underbell/core/refusal';

/** How long what nobody wants any more is still read, so that its sender hears the answer. */
const restMs = 5_000;

/** Whether an error says that a disk is full, or that its user may write no more to it. */
export const isDiskFull = (cause: unknown): boolean =>
  ['ENOSPC', 'EDQUOT'].includes((cause as { code?: string } | null)?.code ?? '');

/** A full disk as `DISK_FULL`; every other error unchanged. */
export function refuseSpace(cause: unknown): unknown {
  if (!isDiskFull(cause)) return cause;
  return new Refusal(
    'DISK_FULL',
    'There is no disk space for the upload.',
    { hint: 'An administrator must free disk space on the server.' },
    { cause },
  );
}

/** How much may come, and what is said of more. */
export interface UploadBound {
  readonly maxBytes: number;
  readonly tooLarge: Refusal;
}

async function* bounded(upload: Readable, { maxBytes, tooLarge }: UploadBound): AsyncGenerator<Buffer> {
  let size = 0;
  for await (const chunk of upload.iterator({ destroyOnReturn: false }) as AsyncIterable<Buffer>) {
    size += chunk.length;
    if (size > maxBytes) throw tooLarge;
    yield chunk;
  }
}

/** Reads what is left of an upload, so that whoever sends more than may come is told so rather than cut off. */
async function orRead<T>(upload: Readable, taking: Promise<T>): Promise<T> {
  try {
    return await taking;
  } catch (error) {
    if (upload.readableEnded) throw error;
    const cutOff = setTimeout(() => upload.destroy(), restMs);
    cutOff.unref();
    // Whoever sent all of it may ask for something else by the same connection: that one is not cut off.
    upload.once('end', () => clearTimeout(cutOff));
    upload.resume();
    throw error;
  }
}

/** Takes a file in, up to as many bytes as may come. @throws `tooLarge` */
export const receiveFile = (upload: Readable, path: string, bound: UploadBound): Promise<void> =>
  orRead(upload, pipeline(bounded(upload, bound), createWriteStream(path)));

/** Takes something small in. @throws `tooLarge` */
export const receiveBytes = (upload: Readable, bound: UploadBound): Promise<Buffer> =>
  orRead(
    upload,
    (async () => {
      const parts: Buffer[] = [];
      for await (const part of bounded(upload, bound)) parts.push(part);
      return Buffer.concat(parts);
    })(),
  );
