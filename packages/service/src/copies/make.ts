import { readFile, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { csvStyleFor, cutKey, figureFormats, rowFormats, type Cut, type MadeFormat } from '@underbell/core/burst';
import { missingMark } from '@underbell/core/format';
import { asksData, type FigureResult } from '@underbell/core/report';
import { pageNumbers } from '@underbell/core/figure';
import { busyMs, mapConcurrent, together, type App } from '../platform/index.ts';
import { writeSlices, queriesAtOnce } from './sliceFiles.ts';
import { loadFillableTemplate } from './templateFill.ts';
import { openMakePool, type MakePool } from './pool.ts';
import type { MadeTask, MakeTask } from './task.ts';
import { copyColumns } from './filters.ts';
import type { CopyJob } from './job.ts';
import { readResults, sceneOfCopy, type ResultsOfCut } from './figureResults.ts';
import { describeFile, writeCopy } from './copyBuffer.ts';

/** A copy that is made once for everybody who gets it. */
export interface WantedCut {
  readonly cut: Cut;
  /** Those that somebody wants. */
  readonly formats: readonly MadeFormat[];
}

/** A file that was made for one cut. */
export interface MadeCopy extends MadeTask {
  readonly path: string;
  /** Its share of the queries that all copies come from; milliseconds. */
  readonly queryMs: number;
  /** Computing: its making, and its share of the cutting; milliseconds. */
  readonly cpuMs: number;
}

/** What reading for many copies took; milliseconds. */
interface Reading {
  readonly queryMs: number;
  readonly cpuMs: number;
}

/** Each file's share of a reading. */
const shareOf = ({ queryMs, cpuMs }: Reading, files: number): Reading => ({
  queryMs: queryMs / Math.max(1, files),
  cpuMs: cpuMs / Math.max(1, files),
});

/** What is made, into a folder. */
export interface MakeRequest {
  readonly cuts: readonly WantedCut[];
  /** Nobody else's: an earlier making may have left something in its own, or still be going on. */
  readonly folder: string;
  /** Of the prepared workbook that the run is bound to; the newest when left out. */
  readonly templateVersion?: number | undefined;
  /** Told what is being done; waited for at the steps. */
  readonly onStep: (phase: string) => Promise<void>;
  /** Told often; throwing stops the work. */
  readonly onProgress: (progress: { rowsRead?: number; phase?: string }) => void;
  /** Told of each cut as soon as all its files are there, while others are still made. */
  readonly onMade: (cut: Cut, files: ReadonlyMap<MadeFormat, MadeCopy>) => Promise<void>;
}

const isRowFormat = (format: MadeFormat) => (rowFormats as readonly MadeFormat[]).includes(format);
/** A workbook shows figures too, but is mostly rows: its reading is counted with them. */
const isPageFormat = (format: MadeFormat) => !isRowFormat(format);
const isFigureFormat = (format: MadeFormat) => figureFormats.includes(format);

/** What is cut can be sent as it is when nothing but the usual CSV is wanted. */
function isPlain({ csv = {}, formats }: CopyJob): boolean {
  const { separator = 'comma', mark = false, encoding = 'utf-8', decimal = 'dot', headings = 'name' } = csv;
  const isOurs = !csv.byLanguage && csv.dates === undefined && decimal === 'dot' && headings === 'name';
  const isUsual = isOurs && separator === 'comma' && !mark && encoding === 'utf-8';
  return isUsual && formats.every((one) => one === 'csv' || !isRowFormat(one));
}

/** Figures of so many copies are held at once: the memory that a run takes does not grow with its recipients. */
const cutsAtOnce = 1_000;

/** One making of all copies. */
class Maker {
  readonly #app: App;
  readonly #job: CopyJob;
  readonly #request: MakeRequest;
  readonly #pool: MakePool;
  readonly #numbers: ReadonlyMap<string, number>;
  /** The files of the cuts that are being made. */
  readonly #files = new Map<string, Map<MadeFormat, MadeCopy>>();
  readonly #isAsCut: boolean;
  readonly #shares = new Map<string, Reading>();
  #made = 0;
  #failure: unknown;

  constructor(app: App, job: CopyJob, request: MakeRequest, pool: MakePool) {
    this.#app = app;
    this.#job = job;
    this.#request = request;
    this.#pool = pool;
    this.#numbers = new Map(request.cuts.map(({ cut }, i) => [cutKey(cut), i]));
    // What is cut shows instants on the installation's clock; whoever has another gets a file of their own.
    const { timeZone } = app.settings;
    const hasInstants = job.rowRevision.shape.columns.some((one) => one.type === 'instant');
    const isOneZone = !hasInstants || request.cuts.every(({ cut }) => (cut.timeZone ?? timeZone) === timeZone);
    this.#isAsCut = isPlain(job) && isOneZone;
  }

  #path(cut: Cut, format: MadeFormat | 'rows'): string {
    return join(this.#request.folder, `${this.#numbers.get(cutKey(cut))}.${format}`);
  }

  /** @returns the rows read */
  async make(): Promise<number> {
    const { cuts, onStep } = this.#request;
    if (this.#job.strategy.kind !== 'one pass') {
      await onStep('reading each copy');
      return this.#makeEach(cuts);
    }
    await onStep('reading rows and figures of all');
    // Pages are drawn and leave while the rows are still read.
    const rows = this.#unlessFailed(() => this.#writeSlices(cuts));
    const all = (async () => {
      for (let at = 0; at < cuts.length; at += cutsAtOnce) {
        const some = cuts.slice(at, at + cutsAtOnce);
        const answers = await this.#unlessFailed(() => this.#readResults(some));
        const width = this.#pool.width;
        await together(
          mapConcurrent(some, width, (one) => this.#unlessFailed(() => this.#makePages(one, answers))),
          rows.then(() => mapConcurrent(some, width, (one) => this.#unlessFailed(() => this.#makeRows(one, answers)))),
        );
      }
    })();
    await together(rows, all);
    return rows;
  }

  async #makeEach(cuts: readonly WantedCut[]): Promise<number> {
    let rowsRead = 0;
    await mapConcurrent(cuts, queriesAtOnce, async (one) => {
      const answers = await this.#readResults([one]);
      await this.#makePages(one, answers);
      const rows = await this.#writeSlices([one], (read) => this.#request.onProgress({ rowsRead: rowsRead + read }));
      // Several are read at once: what is added to is read after the waiting, not before it.
      rowsRead += rows;
      await this.#makeRows(one, answers);
    });
    return rowsRead;
  }

  /** Begins nothing more once something went wrong. */
  async #unlessFailed<T>(work: () => Promise<T>): Promise<T> {
    if (this.#failure !== undefined) throw this.#failure;
    try {
      return await work();
    } catch (error) {
      this.#failure ??= error;
      throw error;
    }
  }

  /** Remembers what each file of some formats costs beside its making. */
  async #reading<T>(cuts: readonly WantedCut[], isOf: (format: MadeFormat) => boolean, read: () => Promise<T>) {
    const [start, busy] = [performance.now(), busyMs()];
    const result = await read();
    const took = { queryMs: performance.now() - start, cpuMs: busyMs() - busy };
    const share = shareOf(took, cuts.flatMap((one) => one.formats.filter(isOf)).length);
    for (const { cut, formats } of cuts)
      for (const format of formats.filter(isOf)) this.#shares.set(`${cutKey(cut)} ${format}`, share);
    return result;
  }

  async #writeSlices(
    cuts: readonly WantedCut[],
    onRows = (rows: number) => this.#request.onProgress({ rowsRead: rows }),
  ): Promise<number> {
    const wanted = cuts.filter((one) => one.formats.some(isRowFormat));
    if (wanted.length === 0) return 0;
    const files = wanted.map(({ cut }) => ({ cut, path: this.#path(cut, this.#isAsCut ? 'csv' : 'rows') }));
    const format = this.#isAsCut ? 'csv' : 'raw';
    return this.#reading(wanted, isRowFormat, () =>
      writeSlices(this.#app, this.#job, files, format, (rows) => {
        if (this.#failure !== undefined) throw this.#failure;
        onRows(rows);
      }),
    );
  }

  async #readResults(cuts: readonly WantedCut[]): Promise<(cut: Cut) => Map<string, FigureResult>> {
    const wanted = cuts.filter((one) => one.formats.some(isFigureFormat)).map((one) => one.cut);
    if (wanted.length === 0) return () => new Map();
    const answers: ResultsOfCut = await this.#reading(cuts, isPageFormat, () =>
      readResults(this.#app, this.#job, wanted),
    );
    const numbers = new Map(wanted.map((cut, i) => [cutKey(cut), i]));
    return (cut) => answers(numbers.get(cutKey(cut))!);
  }

  /** The files of a cut that need no rows. */
  async #makePages({ cut, formats }: WantedCut, answers: (cut: Cut) => Map<string, FigureResult>): Promise<void> {
    for (const format of formats) {
      if (isRowFormat(format)) continue;
      const scene = sceneOfCopy(this.#app, this.#job, cut, answers(cut));
      const to = this.#path(cut, format);
      if (format === 'numbers') {
        writeCopy(to, Buffer.from(JSON.stringify(pageNumbers(scene))));
        await this.#note(cut, format, to, { ...(await describeFile(to)), ms: 0 });
      } else await this.#makeOne(cut, format, { kind: 'page', format: format as 'pdf' | 'png', scene, to });
    }
  }

  async #makeRows({ cut, formats }: WantedCut, answers: (cut: Cut) => Map<string, FigureResult>): Promise<void> {
    for (const format of formats)
      if (isRowFormat(format)) await this.#makeOne(cut, format, this.#rowTask(cut, format, answers));
  }

  #rowTask(cut: Cut, format: MadeFormat, answers: (cut: Cut) => Map<string, FigureResult>): MakeTask {
    const { csv = {}, rowRevision, viewing } = this.#job;
    const to = this.#path(cut, format);
    if (this.#isAsCut && format === 'csv') return { kind: 'made', to };
    const timeZone = cut.timeZone ?? this.#app.settings.timeZone;
    const rows = { rows: this.#path(cut, 'rows'), columns: copyColumns(this.#job, cut), to };
    const style = csvStyleFor(csv, cut.language ?? this.#app.settings.locale);
    if (format === 'csv' || format === 'jsonl') return { kind: 'text', format, style, timeZone, ...rows };
    if (format === 'template') return { kind: 'template', own: Object.values(cut.fields).flat(), timeZone, ...rows };
    const results = answers(cut);
    const { limits } = sceneOfCopy(this.#app, this.#job, cut, results);
    return {
      kind: 'book',
      about: {
        title: viewing.report.title,
        notes: limits.length > 0 ? limits : [missingMark],
        dataAsOf: rowRevision.loadedAt.getTime(),
        timeZone,
      },
      title: rowRevision.shape.name,
      figures: viewing.page.figures.filter(asksData),
      results,
      ...rows,
    };
  }

  async #makeOne(cut: Cut, format: MadeFormat, task: MakeTask): Promise<void> {
    await this.#note(cut, format, task.to, await this.#pool.make(task));
  }

  async #note(cut: Cut, format: MadeFormat, path: string, made: MadeTask): Promise<void> {
    const key = cutKey(cut);
    const { queryMs, cpuMs } = this.#shares.get(`${key} ${format}`)!;
    this.#shares.delete(`${key} ${format}`);
    const files = this.#files.get(key) ?? new Map<MadeFormat, MadeCopy>();
    this.#files.set(key, files);
    files.set(format, { ...made, path, queryMs, cpuMs: cpuMs + made.ms });
    const { cuts, onProgress, onMade } = this.#request;
    if (files.size < cuts[this.#numbers.get(key)!]!.formats.length) return onProgress({});
    this.#files.delete(key);
    await onMade(cut, files);
    onProgress({ phase: `making copies ${++this.#made} of ${cuts.length}` });
  }
}

/** Pages and workbooks take computing; texts are written as fast as they are read. */
const takesComputing = (format: MadeFormat) => ['pdf', 'png', 'xlsx', 'template'].includes(format);

/**
 * Makes the copies of some cuts: rows of all from one scan, figures of all from one query each, every file once for all
 * recipients who share a cut. Each is told of as soon as it is there.
 *
 * @returns the rows read
 */
export async function makeCopies(app: App, job: CopyJob, request: MakeRequest): Promise<number> {
  const formats = request.cuts.flatMap((one) => one.formats);
  const template = formats.includes('template')
    ? await loadFillableTemplate(app, job, request.templateVersion)
    : undefined;
  const kit = template && { template, values: [...(await job.cutValues())] };
  const pool = openMakePool(formats.filter(takesComputing).length, app.settings.priority, kit);
  try {
    return await new Maker(app, job, request, pool).make();
  } finally {
    await pool.close();
  }
}

/** One copy's file, made for somebody to look at. */
export async function makeSample(
  app: App,
  job: CopyJob,
  cut: Cut,
  format: MadeFormat,
  folder: string,
): Promise<Buffer> {
  let bytes: Buffer | undefined;
  try {
    await makeCopies(app, job, {
      cuts: [{ cut, formats: [format] }],
      folder,
      onStep: async () => undefined,
      onProgress: () => undefined,
      onMade: async (_, files) => {
        bytes = await readFile(files.get(format)!.path);
      },
    });
    return bytes!;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
