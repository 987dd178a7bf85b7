import { figureInView, isAtLeast } from '@underbell/core/access';
import { csvLine, withoutFormula } from '@underbell/core/csv';
import { missingMark, writeInstant } from '@underbell/core/format';
import { Refusal } from '@underbell/core/refusal';
import {
  asksData,
  assembleResult,
  findFigure,
  planFigure,
  type DataFigure,
  type FigureQuery,
  type FigureResult,
  type ResultColumn,
} from '@underbell/core/report';
import type { Cell } from '@underbell/core/filter';
import { checkArchiveBytes, makeChecked } from '@underbell/core/readback';
import { heading, toSheet, writeWorkbook } from '@underbell/core/workbook';
import { countQueryRows, readRows } from '../dataset/index.ts';
import { requireRight } from '../access/index.ts';
import type { TokenViewer } from '@underbell/core/access';
import type { App } from '../platform/index.ts';
import { dataFigures, readOne, readFigures } from './figures.ts';
import { parameterWords } from './show.ts';
import { revisionFor, type PreparedView } from './prepare.ts';

export type ExportFormat = 'csv' | 'xlsx' | 'png' | 'pdf';

/** A window of a long table, as the reader sorted it. */
export interface RowWindow {
  readonly figure: string;
  readonly from: number;
  readonly count: number;
  readonly sort?: { readonly by: string; readonly descending: boolean };
}

function dataFigure(view: PreparedView, name: string): DataFigure {
  const figure = findFigure(view.viewing.page, name);
  if (asksData(figure)) return figure;
  throw new Refusal('FIGURE_UNKNOWN', `Figure “${name}” has no rows.`, { word: name });
}

function planOf(view: PreparedView, figure: DataFigure) {
  const filter = view.filterOf(figure);
  if (filter instanceof Refusal) throw filter;
  const shown = figureInView(view.viewing, figure);
  const { main } = planFigure(view.viewing.report, shown, filter.visible);
  return { main, request: { lane: 'readers' as const, revision: revisionFor(view, figure), filter } };
}

/** Rows of a table from one to another, in the report's order or the reader's. */
export async function readWindow(app: App, view: PreparedView, window: RowWindow) {
  const figure = dataFigure(view, window.figure);
  const { main, request } = planOf(view, figure);
  if (figure.kind !== 'table')
    throw new Refusal('FIGURE_UNKNOWN', `Figure “${window.figure}” is not a table.`, { word: window.figure });
  const order = sorted(main, window.sort);
  const cap = figure.limit ?? Number.MAX_SAFE_INTEGER;
  const count = Math.min(window.count, Math.max(0, cap - window.from));
  const query: FigureQuery = { ...main, order, limit: Math.max(count, 1), offset: window.from };
  const [rows, total] = await Promise.all([
    count === 0 ? Promise.resolve([]) : readRows(app, request, query),
    countQueryRows(app, request, main),
  ]);
  // Colours follow the same rules wherever a row stands.
  const { tones } = assembleResult(figure, { main: query, sums: [] }, { main: rows, sums: [] });
  return { from: window.from, rows, total: Math.min(total, cap), ...(tones ? { tones } : {}) };
}

function sorted(main: FigureQuery, sort: RowWindow['sort']): FigureQuery['order'] {
  if (!sort) return main.order;
  if (!main.columns.some((one) => one.name === sort.by))
    throw new Refusal('INPUT_INVALID', `The table does not show “${sort.by}”.`, {
      pointer: '/sort/by',
      word: sort.by,
    });
  const first = { column: sort.by, descending: sort.descending };
  return [first, ...main.order.filter((one) => one.column !== sort.by)];
}

/** Taking figures away needs more than looking: the right to export, or a token that says so. */
export async function requireExport(app: App, view: PreparedView): Promise<void> {
  const { viewer, report } = view.viewing;
  // Let in to a place alone, one has no right on the report that could be told.
  if (view.right !== undefined && !isAtLeast(view.right, 'export'))
    throw new Refusal('NOT_ALLOWED', 'You do not have permission to export this.', {
      hint: 'Ask an owner for “export”.',
    });
  if (viewer.kind === 'person') return void (await requireRight(app, viewer, 'export', 'report', report.name));
  if ((viewer as TokenViewer).details.actions.includes('export')) return;
  throw new Refusal('TOKEN_SCOPE_EXCEEDED', 'This access token does not allow export.', {
    hint: 'Request a token with the action “export”.',
  });
}

const maxExportRows = 100_000;

/** A figure's whole answer, tables beyond what the page shows. */
async function wholeResult(app: App, view: PreparedView, figure: DataFigure): Promise<FigureResult> {
  const result = await readOne(app, view, figure);
  if (result.refused) throw new Refusal('COLUMN_HIDDEN', result.refused.message);
  if (figure.kind !== 'table' || !result.isCut || figure.limit !== undefined) return result;
  const { main, request } = planOf(view, figure);
  const rows = await readRows(app, request, { ...main, limit: maxExportRows });
  return { ...result, rows };
}

function csvCell(cell: Cell | undefined, column: ResultColumn, timeZone: string): string {
  if (cell === null || cell === undefined) return '';
  if (column.type === 'instant') return writeInstant(cell as number, timeZone);
  const text = String(cell);
  // A spreadsheet must not take somebody's text for a formula.
  return column.type === 'text' ? withoutFormula(text) : text;
}

function toCsv({ columns, rows }: FigureResult, timeZone: string): string {
  const lines = rows.map((row) => csvLine(columns.map((column, i) => csvCell(row[i], column, timeZone))));
  return [csvLine(columns.map((one) => withoutFormula(heading(one)))), ...lines].join('');
}

/** What limits the page, in words, for the head of a document. */
export function limitWords(view: PreparedView): string[] {
  const { viewing, taste } = view;
  const parameters = [...viewing.fixed, ...viewing.chosen].map(
    (one) => `${one.parameter.label ?? one.parameter.name}: ${parameterWords(one, taste.locale)}`,
  );
  const figures = dataFigures(view);
  const filter = figures.map((one) => view.filterOf(one)).find((one) => !(one instanceof Refusal));
  const own =
    filter && !(filter instanceof Refusal)
      ? filter
          .explain()
          .filter(
            (one) =>
              !one.isFixed &&
              !viewing.chosen.some((value) => (value.parameter.label ?? value.parameter.name) === one.name),
          )
      : [];
  return [...parameters, ...own.map((one) => one.words)];
}

/** The scene of the page, or of one figure that fills it. */
export async function sceneOf(app: App, view: PreparedView, name: string | undefined) {
  const { viewing, taste, place } = view;
  const figure = name === undefined ? undefined : dataFigure(view, name);
  const results = figure
    ? new Map([[figure.name, await wholeResult(app, view, figure)]])
    : await readFigures(app, view);
  const page = figure
    ? {
        ...viewing.page,
        title: figure.title,
        figures: [{ ...figure, at: { column: 1, row: 1, width: 12, height: 16 } }],
      }
    : viewing.page;
  const oldest = Math.min(...[...view.revisions.values()].map((one) => one.loadedAt.getTime()));
  return {
    title: place?.title ?? viewing.report.title,
    page,
    results,
    taste,
    limits: limitWords(view),
    parameters: Object.fromEntries(
      [...viewing.fixed, ...viewing.chosen].map((one) => [one.parameter.name, parameterWords(one, taste.locale)]),
    ),
    dataAsOf: Number.isFinite(oldest) ? oldest : app.now(),
  };
}

export interface Exported {
  readonly bytes: Buffer;
  readonly type: string;
  readonly fileName: string;
}

/** What exports are on the wire. */
export const exportTypes: Record<ExportFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  png: 'image/png',
  pdf: 'application/pdf',
};

/**
 * A figure, or the whole page, as a file.
 *
 * @throws {Refusal} `NOT_ALLOWED`, `TOKEN_SCOPE_EXCEEDED`: looking is allowed, taking away is not
 */
export async function exportView(
  app: App,
  view: PreparedView,
  wish: { figure?: string; format: ExportFormat },
): Promise<Exported> {
  await requireExport(app, view);
  const { report, page } = view.viewing;
  const { format, figure } = wish;
  const fileName = [report.name, page.name, ...(figure ? [figure] : [])].join('-') + `.${format}`;
  const done = (bytes: Buffer): Exported => ({ bytes, type: exportTypes[format], fileName });
  if (format === 'pdf' || format === 'png') {
    const { drawPdf, drawPng } = await import('../render/index.ts');
    const scene = await sceneOf(app, view, figure);
    return done(format === 'pdf' ? await drawPdf(scene) : drawPng(scene));
  }
  const wanted = figure ? [dataFigure(view, figure)] : dataFigures(view).filter((one) => one.kind !== 'text');
  if (format === 'csv') {
    if (!figure)
      throw new Refusal('INPUT_INVALID', 'CSV holds one figure, not a page.', {
        pointer: '/figure',
        hint: 'Specify a figure, or use XLSX.',
      });
    return done(Buffer.from(toCsv(await wholeResult(app, view, wanted[0]!), view.taste.timeZone)));
  }
  const sheets = await Promise.all(wanted.map(async (one) => toSheet(one, await wholeResult(app, view, one))));
  const notes = limitWords(view);
  const about = {
    title: report.title,
    notes: notes.length > 0 ? notes : [missingMark],
    timeZone: view.taste.timeZone,
  };
  return done(await makeChecked(() => writeWorkbook(sheets, about), checkArchiveBytes));
}
