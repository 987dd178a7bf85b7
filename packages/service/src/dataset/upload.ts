import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { FileDialect } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { runInThread, type App } from '../platform/index.ts';
import type { ExamineTask, FileContents } from './examine.ts';

/** A file that was uploaded and looked at, not loaded yet. */
export interface ExaminedFile extends FileContents {
  readonly id: string;
  readonly sizeBytes: number;
}

function refuseSpace(cause: unknown): unknown {
  if ((cause as { code?: string }).code !== 'ENOSPC') return cause;
  return new Refusal('DISK_FULL', 'there is no space left for the upload', {}, { cause });
}

const tooLarge = (maxBytes: number) =>
  new Refusal('INPUT_TOO_LARGE', `a file may have ${Math.floor(maxBytes / 1_000_000)} MB`, {
    hint: 'whoever runs the service may allow more: UNDERBELL_UPLOAD_MEBIBYTES',
  });

/** How long what nobody wants any more is still read, so that its sender hears the answer. */
const restMs = 5_000;

/** Takes a file in, up to as many bytes as may come. Whoever sends more is told so rather than cut off. */
async function receive(app: App, upload: Readable, path: string): Promise<void> {
  const { maxBytes } = app.settings.uploads;
  let size = 0;
  async function* bounded(): AsyncGenerator<Buffer> {
    for await (const chunk of upload.iterator({ destroyOnReturn: false }) as AsyncIterable<Buffer>) {
      size += chunk.length;
      if (size > maxBytes) throw tooLarge(maxBytes);
      yield chunk;
    }
  }
  try {
    await pipeline(bounded, createWriteStream(path));
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

const bounds = { memoryMiB: 1_024, timeMs: 30 * 60_000 };

/** Looks at a file in a thread of its own: while a cell after the other is looked at, readers are answered as ever. */
function examineApart(task: ExamineTask): Promise<FileContents> {
  return runInThread(new URL('../../dist/examineThread.mjs', import.meta.url), task, bounds);
}

export const uploadFolder = (app: App, id: string) => join(app.settings.spool, 'uploads', id);

/** Takes a file in and looks at every cell of it; nothing is loaded. */
export async function examineUpload(
  app: App,
  upload: Readable,
  { fileName, said = {}, known = {} }: { fileName: string; said?: FileDialect; known?: FileDialect },
): Promise<ExaminedFile> {
  const id = randomUUID();
  const folder = uploadFolder(app, id);
  await mkdir(folder, { recursive: true });
  try {
    const raw = join(folder, 'file');
    await receive(app, upload, raw);
    const { size } = await stat(raw);
    if (size === 0) throw new Refusal('FILE_EMPTY', 'the file is empty', { hint: 'the first row holds the headings' });
    const found = await examineApart({ folder, raw, fileName, limits: app.settings.uploads, said, known });
    return { id, sizeBytes: size, ...found };
  } catch (cause) {
    await rm(folder, { recursive: true, force: true });
    throw refuseSpace(cause);
  }
}
