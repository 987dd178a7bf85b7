import { randomUUID } from 'node:crypto';
import { mkdir, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import type { FileDialect } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { receiveFile, refuseSpace, runInThread, type App } from '../platform/index.ts';
import type { ExamineTask, FileContents } from './examine.ts';

/** A file that was uploaded and looked at, not loaded yet. */
export interface ExaminedFile extends FileContents {
  readonly id: string;
  readonly sizeBytes: number;
}

const tooLarge = (maxBytes: number) =>
  new Refusal('INPUT_TOO_LARGE', `A file can have at most ${Math.floor(maxBytes / 1_000_000)} MB.`, {
    hint: 'The operator can change it: UNDERBELL_UPLOAD_MAX_MIB.',
  });

const bounds = { memoryMiB: 1_024, timeMs: 30 * 60_000 };

/**
 * Looks at a file in a thread of its own: while one cell after the other is looked at, readers are answered as ever.
 *
 * @throws {Refusal} `FILE_…`, `INPUT_TOO_LARGE`, `DISK_FULL`
 */
export function examineInThread(task: ExamineTask): Promise<FileContents> {
  return runInThread(new URL('../../dist/examineThread.mjs', import.meta.url), task, bounds);
}

export const uploadFolder = (app: App, id: string) => join(app.settings.workDir, 'uploads', id);

/** Takes a file in and looks at every cell of it; nothing is loaded. */
export async function examineUpload(
  app: App,
  upload: Readable,
  { fileName, said = {}, known = {} }: { fileName: string; said?: FileDialect; known?: FileDialect },
): Promise<ExaminedFile> {
  const id = randomUUID();
  const folder = uploadFolder(app, id);
  const { maxBytes } = app.settings.uploads;
  await mkdir(folder, { recursive: true });
  try {
    const raw = join(folder, 'file');
    await receiveFile(upload, raw, { maxBytes, tooLarge: tooLarge(maxBytes) });
    const { size } = await stat(raw);
    if (size === 0) throw new Refusal('FILE_EMPTY', 'The file is empty.', { hint: 'The first row is the header.' });
    const found = await examineInThread({ folder, raw, fileName, limits: app.settings.uploads, said, known });
    return { id, sizeBytes: size, ...found };
  } catch (cause) {
    await rm(folder, { recursive: true, force: true });
    throw refuseSpace(cause);
  }
}
