import { createReadStream, createWriteStream } from 'node:fs';
import { open, readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { unzipSync } from 'fflate';
import { readSheet } from 'read-excel-file/node';
import { csvLine } from '@underbell/core/csv';
import type { FileDialect } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import type { UploadLimits } from '../platform/settings.ts';
import { examineCsv, lineTooLong, maxColumns, tooManyCells, tooManyColumns, type FileColumn } from './csvFile.ts';
import { readDialect } from './fileDialect.ts';

export type FileKind = 'csv' | 'jsonl' | 'xlsx';

/** A file to be looked at, in a folder of its own. */
export interface ExamineTask {
  readonly folder: string;
  /** Of the file as it came, in the folder. */
  readonly raw: string;
  /** As its sender calls it. */
  readonly fileName: string;
  readonly limits: UploadLimits;
  /** What somebody said of how it is written. */
  readonly said: FileDialect;
  /** What was settled for an earlier file of the same. */
  readonly known: FileDialect;
}

/** What is in a file. */
export interface FileContents {
  readonly kind: FileKind;
  /** The rows as CSV in UTF-8, whatever the file was. */
  readonly path: string;
  /** How it is written, as far as the file itself and what was said tell. */
  readonly dialect: FileDialect;
  readonly rows: number;
  readonly columns: readonly FileColumn[];
}

/** A workbook is read as a whole. */
const maxWorkbookBytes = 60 * 1_048_576;

/** What a file is, by its first bytes, and by its name where they do not tell. */
async function kindOf(path: string, fileName: string, { encoding }: FileDialect): Promise<FileKind> {
  const file = await open(path);
  const { buffer, bytesRead } = await file.read(Buffer.alloc(512), 0, 512, 0);
  await file.close();
  const start = buffer.subarray(0, bytesRead);
  if (start.subarray(0, 4).equals(Buffer.from('PK\u0003\u0004', 'latin1'))) return 'xlsx';
  const extension = /\.([a-z]+)$/i.exec(fileName)?.[1]?.toLowerCase();
  const isWide =
    encoding === 'utf-16' || (start[0] === 0xff && start[1] === 0xfe) || (start[0] === 0xfe && start[1] === 0xff);
  if (extension === 'xlsx' || (start.includes(0) && !isWide)) {
    throw new Refusal('FILE_KIND_UNKNOWN', `“${fileName}” is not CSV, JSON Lines or .xlsx.`, {
      word: fileName,
      hint: 'Save it as CSV, JSON Lines or .xlsx.',
    });
  }
  const first = start
    .toString('utf8')
    .replace(/^\ufeff/, '')
    .trimStart();
  return extension === 'jsonl' || extension === 'ndjson' || first.startsWith('{') ? 'jsonl' : 'csv';
}

type DecimalSign = FileDialect['decimal'];

/** @param decimal - what its numbers are written with, so that they are read as those in its texts are */
const cellText = (value: unknown, decimal: DecimalSign): string | null => {
  if (value === null || value === undefined) return null;
  if (typeof value === 'number' && decimal === 'comma') return String(value).replace('.', ',');
  if (value instanceof Date) {
    const text = value.toISOString();
    return text.endsWith('T00:00:00.000Z') ? text.slice(0, 10) : text;
  }
  return typeof value === 'object' ? JSON.stringify(value) : String(value as string | number | boolean);
};

async function writeLines(path: string, lines: AsyncIterable<string> | Iterable<string>): Promise<void> {
  await pipeline(Readable.from(lines), createWriteStream(path));
}

/** Passes text on; a line that does not end is refused before it is held in memory. */
function boundedLines(maxLineBytes: number): Transform {
  let length = 0;
  return new Transform({
    transform(chunk: Buffer, _, done) {
      let from = 0;
      for (let at = chunk.indexOf(10); at >= 0; at = chunk.indexOf(10, from)) {
        length += at - from;
        if (length > maxLineBytes) return done(lineTooLong(maxLineBytes));
        length = 0;
        from = at + 1;
      }
      length += chunk.length - from;
      done(length > maxLineBytes ? lineTooLong(maxLineBytes) : null, chunk);
    },
  });
}

/** JSON Lines as CSV; the headings are the names of all lines, in the order in which they first come. */
async function fromJsonLines(from: string, to: string, { limits, said }: ExamineTask): Promise<void> {
  const lines = () => {
    const input = createReadStream(from).pipe(boundedLines(limits.maxLineBytes));
    return createInterface({ input, crlfDelay: Infinity });
  };
  async function* objects(): AsyncGenerator<Record<string, unknown>> {
    let line = 0;
    for await (const text of lines()) {
      line++;
      if (text.trim() === '') continue;
      let value: unknown;
      try {
        value = JSON.parse(text.replace(/^\ufeff/, ''));
      } catch (cause) {
        throw new Refusal('FILE_MALFORMED', `Line ${line} is not valid JSON.`, { pointer: `line ${line}` }, { cause });
      }
      if (typeof value !== 'object' || value === null || Array.isArray(value))
        throw new Refusal('FILE_MALFORMED', `Line ${line} is not a JSON object.`, { pointer: `line ${line}` });
      yield value as Record<string, unknown>;
    }
  }
  const headings = new Set<string>();
  let cells = 0;
  for await (const one of objects()) {
    for (const name of Object.keys(one)) headings.add(name);
    cells += headings.size;
    if (headings.size > maxColumns) throw tooManyColumns();
    if (cells > limits.maxCells) throw tooManyCells(limits.maxCells);
  }
  if (headings.size === 0) throw new Refusal('FILE_EMPTY', 'The file is empty.');
  async function* written(): AsyncGenerator<string> {
    yield csvLine([...headings]);
    for await (const one of objects()) yield csvLine([...headings].map((name) => cellText(one[name], said.decimal)));
  }
  await writeLines(to, written());
}

/** What is packed into a file, as its directory says, and how much it becomes. */
function refuseBomb(bytes: Buffer, limits: UploadLimits): void {
  let unpacked = 0;
  unzipSync(bytes, {
    filter: ({ originalSize }) => {
      unpacked += originalSize;
      return false;
    },
  });
  if (unpacked <= limits.maxUnpackedBytes && unpacked <= Math.max(bytes.length, 65_536) * limits.maxRatio) return;
  throw new Refusal('INPUT_TOO_LARGE', 'The unpacked workbook is too large.', {
    hint: 'Save the sheet as CSV (UTF-8).',
  });
}

/** The first sheet of a workbook as CSV; the first row holds the headings. */
async function fromWorkbook(from: string, to: string, { limits, said }: ExamineTask): Promise<void> {
  const { size } = await stat(from);
  if (size > maxWorkbookBytes) {
    throw new Refusal('INPUT_TOO_LARGE', 'The workbook is too large.', {
      hint: 'Save the sheet as CSV (UTF-8).',
    });
  }
  let rows: unknown[][];
  try {
    refuseBomb(await readFile(from), limits);
    rows = await readSheet(from);
  } catch (cause) {
    if (cause instanceof Refusal) throw cause;
    throw new Refusal(
      'FILE_MALFORMED',
      'The workbook cannot be read.',
      { hint: 'Check that it is an .xlsx file that other programs can open.' },
      { cause },
    );
  }
  if (rows.length === 0) throw new Refusal('FILE_EMPTY', 'The first sheet is empty.');
  const width = rows[0]!.length;
  if (width > maxColumns) throw tooManyColumns();
  if (width * rows.length > limits.maxCells) throw tooManyCells(limits.maxCells);
  await writeLines(
    to,
    rows
      .filter((row) => row.some((cell) => cell !== null))
      .map((row) => csvLine(Array.from({ length: width }, (_, i) => cellText(row[i], said.decimal)))),
  );
}

/** @throws {Refusal} `INPUT_INVALID`: what only text in cells has was said of another kind of file */
function refuseDialect(kind: FileKind, { encoding, separator }: FileDialect): void {
  const pointer = separator ? 'separator' : 'encoding';
  if (kind === 'csv' || (separator ?? encoding) === undefined) return;
  const what = kind === 'xlsx' ? 'a workbook' : 'a file of JSON Lines';
  throw new Refusal('INPUT_INVALID', `${what} has no ${pointer}.`, { pointer, hint: 'Leave it out.' });
}

/** Looks at every cell of a file. @throws {Refusal} `FILE_…`, `INPUT_TOO_LARGE` */
export async function examineFile(task: ExamineTask): Promise<FileContents> {
  const { folder, raw, fileName, limits, said, known } = task;
  const kind = await kindOf(raw, fileName, said);
  refuseDialect(kind, said);
  if (kind === 'csv') {
    const { path, encoding, separator } = await readDialect(raw, join(folder, 'text.csv'), said, known);
    const { decimal, dates } = { ...known, ...said };
    const dialect = { encoding, separator, ...(decimal ? { decimal } : {}), ...(dates ? { dates } : {}) };
    return { kind, path, dialect, ...(await examineCsv(path, { ...limits, separator })) };
  }
  const path = join(folder, 'rows.csv');
  if (kind === 'jsonl') await fromJsonLines(raw, path, task);
  else await fromWorkbook(raw, path, task);
  // Their numbers are numbers: only what was said makes one of a text with a comma.
  const dates = said.dates ?? known.dates;
  const dialect = { decimal: said.decimal ?? ('dot' as const), ...(dates ? { dates } : {}) };
  return { kind, path, dialect, ...(await examineCsv(path, limits)) };
}
