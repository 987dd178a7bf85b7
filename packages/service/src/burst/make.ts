import { copyFile, mkdir, readFile, rm } from 'node:fs/promises';
import { createReadStream } from 'node:fs';
import { dirname, join } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { parse, type CastingContext } from 'csv-parse';
import { figureFormats, rowFormats, rowWriter, type CopyFormat } from '@underbell/core/burst';
import { missingMark } from '@underbell/core/format';
import { readCell, type DatasetColumn, type Value } from '@underbell/core/dataset';
import type { Cell } from '@underbell/core/filter';
import { asksData } from '@underbell/core/report';
import { writeWorkbook, type Sheet } from '@underbell/core/workbook';
import { sideBySide, type App } from '../platform/index.ts';
import { openDrawer } from '../view/drawPool.ts';
import { toSheet } from '../view/exports.ts';
import { cutRows } from './cut.ts';
import { BookFiller, fittedTemplate } from './filled.ts';
import { copyColumns, type PreparedBurst } from './prepare.ts';
import { readAnswers, sceneOfCopy, type FigureAnswers } from './render.ts';
import { TextFile, writeCopy } from './spool.ts';

/** What is made: every format for every value, into a folder. */
export interface MakeRequest {
  readonly values: readonly Value[];
  readonly formats: readonly CopyFormat[];
  readonly folder: string;
  /** Of the prepared workbook that the run is bound to; the newest when left out. */
  readonly templateVersion?: number | undefined;
  /** Told what is being done; waited for at the steps. */
  readonly onStep: (phase: string) => Promise<void>;
  /** Told often; throwing stops the work. */
  readonly onProgress: (progress: { rowsRead?: number; phase?: string }) => void;
}

export interface MadeCopies {
  readonly rowsRead: number;
  /** The file of a value in a format; everybody with that value gets a copy of it. */
  readonly pathOf: (value: Value, format: CopyFormat) => string;
  /** How long making that file took; milliseconds. */
  readonly msOf: (value: Value, format: CopyFormat) => number;
}

/** What is cut can be sent as it is when nothing but the usual CSV is wanted. */
function isPlain({ definition }: PreparedBurst, formats: readonly CopyFormat[]): boolean {
  const { separator = 'comma', mark = false } = definition.csv ?? {};
  return separator === 'comma' && !mark && formats.every((one) => one === 'csv' || !rowFormats.includes(one));
}

/** Rows of a cut with missing cells apart from empty ones. */
function readRows(path: string): AsyncIterable<(string | null)[]> {
  const cast = (text: string, { quoting }: CastingContext) => (text === '' && !quoting ? null : text);
  return createReadStream(path).pipe(parse({ cast: cast as never, relax_column_count: true }));
}

const breathEvery = 2_000;

/** Writes the rows of one cut in a format of text. */
async function writeText(
  from: string,
  to: string,
  format: 'csv' | 'jsonl',
  burst: PreparedBurst,
  columns: readonly DatasetColumn[],
): Promise<void> {
  const writer = rowWriter(format, columns, burst.definition.csv);
  const file = new TextFile(to, writer.head);
  for await (const cells of readRows(from)) file.add(writer.line(cells));
  file.end();
}

/** The rows of one cut with their values typed. */
async function typedRows(from: string, columns: readonly DatasetColumn[]): Promise<Cell[][]> {
  const rows: Cell[][] = [];
  for await (const cells of readRows(from)) {
    rows.push(columns.map((column, i) => readCell(cells[i] ?? null, column)));
    if (rows.length % breathEvery === 0) await setImmediate();
  }
  return rows;
}

/** A sheet of the rows, typed, under their labels. */
async function rowSheet(from: string, burst: PreparedBurst, columns: readonly DatasetColumn[]): Promise<Sheet> {
  const rows = await typedRows(from, columns);
  return {
    title: burst.rowRevision.shape.name,
    columns: columns.map(({ name, label, unit, format, type }) => ({
      heading: unit ? `${label ?? name} (${unit})` : (label ?? name),
      type: type === 'integer' ? 'number' : type,
      ...(format ? { format } : type === 'integer' ? { format: '0' } : {}),
    })),
    rows,
  };
}

/** A workbook: the rows, then a sheet for each figure, then what was filtered. */
async function workbookOf(
  app: App,
  burst: PreparedBurst,
  value: Value,
  made: { readonly rows: string; readonly answers: FigureAnswers; readonly columns: readonly DatasetColumn[] },
): Promise<Buffer> {
  const { viewing } = burst;
  const results = made.answers(value);
  const figures = viewing.page.figures.filter((one) => asksData(one) && one.kind !== 'text');
  const sheets = [
    await rowSheet(made.rows, burst, made.columns),
    ...figures.flatMap((one) => {
      const result = results.get(one.name);
      return result ? [toSheet(one.title, result)] : [];
    }),
  ];
  const { limits } = sceneOfCopy(app, burst, value, results);
  return writeWorkbook(sheets, { title: viewing.report.title, notes: limits.length > 0 ? limits : [missingMark] });
}

/**
 * Makes the copies for some values: rows of all from one scan, figures of all from one query each, every file once for
 * all recipients who share a value.
 */
export async function makeCopies(app: App, burst: PreparedBurst, request: MakeRequest): Promise<MadeCopies> {
  const { values, formats, folder, onStep, onProgress } = request;
  const index = new Map(values.map((value, i) => [value, i]));
  const pathOf = (value: Value, format: CopyFormat | 'rows') => join(folder, `${index.get(value)!}.${format}`);
  const took = new Map<string, number>();
  const timed = async (value: Value, format: CopyFormat, work: () => Promise<void>): Promise<void> => {
    const start = performance.now();
    await work();
    took.set(`${index.get(value)!} ${format}`, performance.now() - start);
  };
  let rowsRead = 0;
  const isAsCut = isPlain(burst, formats);
  if (formats.some((one) => rowFormats.includes(one))) {
    await onStep('reading and cutting rows');
    const cuts = values.map((value) => ({ value, path: pathOf(value, isAsCut ? 'csv' : 'rows') }));
    const start = performance.now();
    rowsRead = await cutRows(app, burst, cuts, isAsCut ? 'csv' : 'raw', (rows) => onProgress({ rowsRead: rows }));
    // One scan makes the CSV of all: each has its share of it.
    if (isAsCut) for (const i of values.keys()) took.set(`${i} csv`, (performance.now() - start) / values.length);
  }
  const columns = copyColumns(burst);
  const texts = isAsCut ? [] : formats.filter((one) => one === 'csv' || one === 'jsonl');
  for (const [i, value] of values.entries()) {
    if (texts.length === 0) break;
    onProgress({ rowsRead, phase: `writing rows ${i + 1} of ${values.length}` });
    for (const format of texts)
      await timed(value, format, () => writeText(pathOf(value, 'rows'), pathOf(value, format), format, burst, columns));
  }
  if (formats.includes('template')) {
    await onStep('filling workbooks');
    const filler = await BookFiller.open(app, burst, (await fittedTemplate(app, burst, request.templateVersion))!);
    for (const [i, value] of values.entries()) {
      onProgress({ phase: `filling workbook ${i + 1} of ${values.length}` });
      await timed(value, 'template', async () =>
        writeCopy(pathOf(value, 'template'), filler.fill(value, await typedRows(pathOf(value, 'rows'), columns))),
      );
      await setImmediate();
    }
  }
  const pages = formats.filter((one) => figureFormats.includes(one));
  if (pages.length > 0) {
    await onStep('reading figures');
    const answers = await readAnswers(app, burst, values);
    if (formats.includes('xlsx'))
      for (const [i, value] of values.entries()) {
        onProgress({ phase: `writing workbook ${i + 1} of ${values.length}` });
        await timed(value, 'xlsx', async () => {
          const made = { answers, rows: pathOf(value, 'rows'), columns };
          writeCopy(pathOf(value, 'xlsx'), await workbookOf(app, burst, value, made));
        });
        await setImmediate();
      }
    const drawn = await drawPages(app, burst, { ...request, answers, pathOf });
    for (const [value, format, ms] of drawn) took.set(`${index.get(value)!} ${format}`, ms);
  }
  return { rowsRead, pathOf, msOf: (value, format) => took.get(`${index.get(value)!} ${format}`) ?? 0 };
}

/** Draws the pages of all copies, side by side where there are many. @returns how long each took; milliseconds */
async function drawPages(
  app: App,
  burst: PreparedBurst,
  {
    values,
    formats,
    answers,
    pathOf,
    onProgress,
  }: MakeRequest & Pick<MadeCopies, 'pathOf'> & { answers: FigureAnswers },
): Promise<[Value, CopyFormat, number][]> {
  const wanted = (['pdf', 'png'] as const).filter((one) => formats.includes(one));
  const pages = values.flatMap((value) => wanted.map((format) => ({ value, format })));
  if (pages.length === 0) return [];
  const took: [Value, CopyFormat, number][] = [];
  const drawer = openDrawer(pages.length);
  try {
    await sideBySide(pages, drawer.width, async ({ value, format }) => {
      onProgress({ phase: `drawing page ${took.length + 1} of ${pages.length}` });
      const { bytes, ms } = await drawer.draw(sceneOfCopy(app, burst, value, answers(value)), format);
      writeCopy(pathOf(value, format), bytes);
      took.push([value, format, ms]);
    });
  } finally {
    await drawer.close();
  }
  return took;
}

/** Gives a recipient the file of their value under their own name. */
export async function handOver(from: string, to: string): Promise<void> {
  await mkdir(dirname(to), { recursive: true });
  await copyFile(from, to);
}

/** One value's file, made for somebody to look at. */
export async function makeSample(
  app: App,
  burst: PreparedBurst,
  value: Value,
  format: CopyFormat,
  folder: string,
): Promise<Buffer> {
  try {
    const { pathOf } = await makeCopies(app, burst, {
      values: [value],
      formats: [format],
      folder,
      onStep: async () => undefined,
      onProgress: () => undefined,
    });
    return await readFile(pathOf(value, format));
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
