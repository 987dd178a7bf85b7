import { randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { mkdir, mkdtemp, open, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { readSheet } from 'read-excel-file/node';
import { csvLine } from '@underbell/core/csv';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { examineCsv, type FileColumn } from './csvFile.ts';

export type FileKind = 'csv' | 'jsonl' | 'xlsx';

/** A file that was uploaded and looked at, not loaded yet. */
export interface ExaminedFile {
  readonly id: string;
  readonly kind: FileKind;
  /** The rows as CSV, whatever the file was. */
  readonly path: string;
  readonly sizeBytes: number;
  readonly rows: number;
  readonly columns: readonly FileColumn[];
}

/** A workbook is read as a whole. */
const maxWorkbookBytes = 60 * 1_048_576;

function refuseSpace(cause: unknown): unknown {
  if ((cause as { code?: string }).code !== 'ENOSPC') return cause;
  return new Refusal('DISK_FULL', 'there is no space left for the upload', {}, { cause });
}

/** Keeps an upload in a folder of its own while work goes on, then removes it. */
export async function withUpload<T>(app: App, upload: Readable, work: (path: string) => Promise<T>): Promise<T> {
  const folder = await mkdtemp(join(app.settings.spool, 'upload-'));
  try {
    const path = join(folder, 'file');
    await pipeline(upload, createWriteStream(path));
    return await work(path);
  } catch (cause) {
    throw refuseSpace(cause);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** What a file is, by its first bytes, and by its name where they do not tell. */
async function kindOf(path: string, fileName: string): Promise<FileKind> {
  const file = await open(path);
  const { buffer, bytesRead } = await file.read(Buffer.alloc(512), 0, 512, 0);
  await file.close();
  const start = buffer.subarray(0, bytesRead);
  if (start.subarray(0, 4).equals(Buffer.from('PK\u0003\u0004', 'latin1'))) return 'xlsx';
  const extension = /\.([a-z]+)$/i.exec(fileName)?.[1]?.toLowerCase();
  if (extension === 'xlsx' || start.includes(0)) {
    throw new Refusal('FILE_KIND_UNKNOWN', `\`${fileName}\` is neither CSV, JSON Lines nor a workbook`, {
      word: fileName,
      hint: 'save it as CSV (UTF-8), as JSON Lines or as .xlsx',
    });
  }
  const first = start
    .toString('utf8')
    .replace(/^\ufeff/, '')
    .trimStart();
  return extension === 'jsonl' || extension === 'ndjson' || first.startsWith('{') ? 'jsonl' : 'csv';
}

const cellText = (value: unknown): string | null => {
  if (value === null || value === undefined) return null;
  if (value instanceof Date) {
    const text = value.toISOString();
    return text.endsWith('T00:00:00.000Z') ? text.slice(0, 10) : text;
  }
  return typeof value === 'object' ? JSON.stringify(value) : String(value as string | number | boolean);
};

async function writeLines(path: string, lines: AsyncIterable<string> | Iterable<string>): Promise<void> {
  await pipeline(Readable.from(lines), createWriteStream(path));
}

/** JSON Lines as CSV; the headings are the names of all lines, in the order in which they first come. */
async function fromJsonLines(from: string, to: string): Promise<void> {
  const lines = () => createInterface({ input: createReadStream(from, 'utf8'), crlfDelay: Infinity });
  async function* objects(): AsyncGenerator<Record<string, unknown>> {
    let line = 0;
    for await (const text of lines()) {
      line++;
      if (text.trim() === '') continue;
      let value: unknown;
      try {
        value = JSON.parse(text.replace(/^\ufeff/, ''));
      } catch (cause) {
        throw new Refusal('FILE_MALFORMED', `line ${line}: this is not JSON`, { pointer: `line ${line}` }, { cause });
      }
      if (typeof value !== 'object' || value === null || Array.isArray(value))
        throw new Refusal('FILE_MALFORMED', `line ${line}: a line holds one object`, { pointer: `line ${line}` });
      yield value as Record<string, unknown>;
    }
  }
  const headings = new Set<string>();
  for await (const one of objects()) for (const name of Object.keys(one)) headings.add(name);
  if (headings.size === 0) throw new Refusal('FILE_EMPTY', 'the file is empty');
  async function* written(): AsyncGenerator<string> {
    yield csvLine([...headings]);
    for await (const one of objects()) yield csvLine([...headings].map((name) => cellText(one[name])));
  }
  await writeLines(to, written());
}

/** The first sheet of a workbook as CSV; the first row holds the headings. */
async function fromWorkbook(from: string, to: string, sizeBytes: number): Promise<void> {
  if (sizeBytes > maxWorkbookBytes) {
    throw new Refusal('INPUT_TOO_LARGE', 'the workbook is too large to be read as a whole', {
      hint: 'save the sheet as CSV (UTF-8)',
    });
  }
  let rows: unknown[][];
  try {
    rows = await readSheet(from);
  } catch (cause) {
    throw new Refusal(
      'FILE_MALFORMED',
      'the workbook cannot be read',
      { hint: 'is it a .xlsx that opens elsewhere?' },
      { cause },
    );
  }
  if (rows.length === 0) throw new Refusal('FILE_EMPTY', 'the first sheet is empty');
  const width = rows[0]!.length;
  await writeLines(
    to,
    rows
      .filter((row) => row.some((cell) => cell !== null))
      .map((row) => csvLine(Array.from({ length: width }, (_, i) => cellText(row[i])))),
  );
}

export const uploadFolder = (app: App, id: string) => join(app.settings.spool, 'uploads', id);

/** Takes a file in and looks at every cell of it; nothing is loaded. */
export async function examineUpload(app: App, upload: Readable, fileName: string): Promise<ExaminedFile> {
  const id = randomUUID();
  const folder = uploadFolder(app, id);
  await mkdir(folder, { recursive: true });
  try {
    const raw = join(folder, 'file');
    await pipeline(upload, createWriteStream(raw));
    const { size } = await stat(raw);
    if (size === 0) throw new Refusal('FILE_EMPTY', 'the file is empty', { hint: 'the first row holds the headings' });
    const kind = await kindOf(raw, fileName);
    const path = kind === 'csv' ? raw : join(folder, 'rows.csv');
    if (kind === 'jsonl') await fromJsonLines(raw, path);
    if (kind === 'xlsx') await fromWorkbook(raw, path, size);
    return { id, kind, path, sizeBytes: size, ...(await examineCsv(path)) };
  } catch (cause) {
    await rm(folder, { recursive: true, force: true });
    throw refuseSpace(cause);
  }
}
