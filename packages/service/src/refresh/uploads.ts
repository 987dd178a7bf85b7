import { rm } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import {
  type BadCells,
  type ExaminedUpload,
  type LoadedFile,
  describeColumn,
  nearTypeOf,
  dialectToKeep,
  dialectWords,
  isCanonical,
  misfitsOf,
  openQuestions,
  resolveDialect,
  type CellDialect,
  type DatasetColumn,
  type FileDialect,
} from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { notFound, rightOn } from '../access/index.ts';
import {
  annotate,
  changeDataset,
  examineUpload,
  findDatasetRow,
  listDatasets,
  loadFromFile,
  checkQueryLimits,
  requireLoader,
  saveDataset,
  toColumns,
  uploadFolder,
  type ColumnNote,
  type DatasetRow,
  type ExaminedFile,
  type FileColumn,
} from '../dataset/index.ts';
import { perInstance, type App } from '../platform/index.ts';
import { refuseBreaks } from './impact.ts';
import { countUploads, findUpload, putUpload, removeUpload } from './store.ts';
import { loadBy } from './usecases.ts';
import type { UploadRow } from './models.ts';

/** What was settled about columns before still holds for the next file, their types too; what is said now goes over it. */
function fileColumns(
  known: DatasetRow | undefined,
  found: readonly DatasetColumn[],
  notes: readonly ColumnNote[],
): DatasetColumn[] {
  const kept = (known?.columns ?? [])
    .filter((one) => found.some((column) => column.name === one.name))
    .map(({ sourceType: _sourceType, ...note }) => note);
  return annotate(annotate(found, kept), notes);
}

/** A file that was looked at, and what is to become of it. */
interface FileLoad {
  readonly name: string;
  readonly title?: string;
  readonly file: Pick<ExaminedFile, 'path' | 'dialect' | 'columns'>;
  readonly notes: readonly ColumnNote[];
  /** Said over what was found or settled before. */
  readonly said: CellDialect;
  readonly badCells: 'refuse' | 'empty';
  readonly isForced: boolean;
  readonly origin: string;
}

/** Cells that do not fit the types that were settled, column by column. */
function badCellsOf(found: readonly FileColumn[], columns: readonly DatasetColumn[], dialect: CellDialect): BadCells[] {
  return found.flatMap((one) => {
    const { type } = columns.find((column) => column.name === one.name)!;
    const misfits = misfitsOf(one, type, dialect);
    return misfits ? [{ column: one.name, cells: misfits.count, first: misfits.first }] : [];
  });
}

function refuseBadCells(bad: readonly BadCells[], columns: readonly DatasetColumn[]): void {
  if (bad.length === 0) return;
  const problems = bad.map(({ column, cells, first }) => {
    const { type } = columns.find((one) => one.name === column)!;
    const places = first.map((one) => `row ${one.row} “${one.value}”`).join(', ');
    return {
      at: column,
      message: `${cells} ${cells === 1 ? 'value is' : 'values are'} not ${type}: ${places}${cells > first.length ? ', …' : ''}`,
    };
  });
  throw new Refusal('CELLS_INVALID', `Invalid values in ${problems.map((one) => `“${one.at}”`).join(', ')}.`, {
    problems,
    hint: 'Select another type, or import invalid values as empty. Rows count without the header.',
  });
}

async function loadFile(app: App, person: PersonViewer, wish: FileLoad): Promise<LoadedFile> {
  const { name, file, isForced, origin } = wish;
  const known = await requireLoader(app, person, name);
  if (known?.sourceName)
    throw new Refusal('NAME_TAKEN', `Dataset “${name}” comes from data source “${known.sourceName}”.`, {
      hint: 'Use another name.',
    });
  const { decimal, dates } = { ...known?.fileDialect, ...file.dialect, ...wish.said };
  const typed = [...(known?.columns ?? []), ...wish.notes].flatMap((one) =>
    one.type ? [[one.name, one.type] as const] : [],
  );
  const settled = resolveDialect(
    file.columns,
    { ...(decimal ? { decimal } : {}), ...(dates ? { dates } : {}) },
    new Map(typed),
  );
  const dialect: FileDialect = { ...file.dialect, ...settled };
  const columns = fileColumns(known, toColumns(file.columns, dialect), wish.notes);
  const types = new Map(columns.map((one) => [one.name, one.type]));
  checkQueryLimits(file.columns, types, dialect);
  const bad = badCellsOf(file.columns, columns, dialect);
  if (wish.badCells === 'refuse') refuseBadCells(bad, columns);
  if (known && !isForced) await refuseBreaks(app, name, columns);
  // The columns of a known dataset change with the swap, not before.
  const row = {
    name,
    title: wish.title ?? known?.title ?? name,
    sourceName: null,
    sql: null,
    columns: known?.columns ?? columns,
    rowOrder: [],
    ownerEmail: known?.ownerEmail ?? person.email,
  };
  await saveDataset(app, person, row, known === undefined, origin);
  const isAsItStands =
    (dialect.separator ?? 'comma') === 'comma' &&
    bad.length === 0 &&
    file.columns.every((one) => isCanonical(one, types.get(one.name)!, dialect));
  const by = loadBy(app, name, { who: person.email, cause: 'upload', isForced });
  const loaded = await loadFromFile(
    app,
    { name, columns },
    { path: file.path, dialect, isCanonical: isAsItStands },
    {
      ...by,
      atSwap: () => changeDataset(app, name, { fileDialect: dialectToKeep(known?.fileDialect, dialect) }),
    },
  );
  const near = file.columns.flatMap((one) => {
    const found = types.get(one.name) === 'text' ? nearTypeOf(one, dialect) : undefined;
    return found ? [{ column: one.name, ...found }] : [];
  });
  return { name, ...loaded, columns, dialect, readAs: dialectWords(dialect), emptied: bad, near };
}

/** Loads an uploaded file in one step. */
export async function loadUpload(
  app: App,
  person: PersonViewer,
  upload: Readable,
  options: Omit<FileLoad, 'file' | 'notes' | 'said'> & {
    readonly fileName: string;
    readonly columns: readonly ColumnNote[];
    readonly said: FileDialect;
  },
) {
  const { fileName, columns: notes, said, ...wish } = options;
  const known = (await requireLoader(app, person, wish.name))?.fileDialect ?? {};
  return takingPart(app, person, async () => {
    const file = await examineUpload(app, upload, { fileName, said, known });
    try {
      return await loadFile(app, person, { ...wish, file, notes, said });
    } finally {
      await rm(uploadFolder(app, file.id), { recursive: true, force: true });
    }
  });
}

/** Files are taken in for those who may make datasets, or load into one. @throws {Refusal} `NOT_ALLOWED` */
async function requireUploader(app: App, person: PersonViewer): Promise<void> {
  if (isAtLeast(await rightOn(app, person, 'dataset', '*'), 'edit')) return;
  const names = (await listDatasets(app)).map((one) => one.name);
  for (const name of names) if (isAtLeast(await rightOn(app, person, 'dataset', name), 'edit')) return;
  throw new Refusal('NOT_ALLOWED', 'You do not have permission to upload files.', {
    hint: 'Users who can create or edit a dataset can.',
  });
}

const underWay = perInstance(() => new Map<string, number>());

/** So many files of one person are taken in at once, or wait to be loaded. @throws {Refusal} `RATE_LIMITED` */
async function takingPart<T>(app: App, person: PersonViewer, work: () => Promise<T>): Promise<T> {
  const counts = underWay(app);
  const { maxEach } = app.settings.uploads;
  const now = () => counts.get(person.id) ?? 0;
  counts.set(person.id, now() + 1);
  try {
    if (now() + (await countUploads(app, person.id)) > maxEach)
      throw new Refusal('RATE_LIMITED', `${maxEach} of your files are uploading or wait for import.`, {
        hint: 'Import or delete some of them first.',
      });
    return await work();
  } finally {
    if (now() <= 1) counts.delete(person.id);
    else counts.set(person.id, now() - 1);
  }
}

/** A file as it is shown before it is loaded: its columns, how it is read, and what has to be said first. */
function shownUpload(row: UploadRow, known: DatasetRow | undefined): ExaminedUpload {
  const { id, kind, fileName, sizeBytes, rowCount, columns } = row;
  const types = new Map((known?.columns ?? []).map((one) => [one.name, one.type]));
  const said = { ...known?.fileDialect, ...row.dialect };
  const dialect: FileDialect = { ...row.dialect, ...resolveDialect(columns, said, types) };
  const described = columns.map((one) => {
    const found = { name: one.name, ...describeColumn(one, dialect) };
    // What was settled for earlier files is what this one will be loaded with.
    const settled = known?.columns.find((column) => column.name === one.name);
    if (!settled) return found;
    const { type, label, key, unit } = settled;
    return { ...found, type, ...(label ? { label } : {}), ...(key ? { key } : {}), ...(unit ? { unit } : {}) };
  });
  return {
    id,
    kind,
    fileName,
    sizeBytes,
    rows: rowCount,
    columns: described,
    dialect,
    readAs: dialectWords(dialect),
    questions: openQuestions(columns, new Map(described.map((one) => [one.name, one.type])), dialect),
  };
}

/** Takes a file in to be looked at: types, samples, cells that do not fit. Nothing is loaded yet. */
export async function examine(
  app: App,
  person: PersonViewer,
  upload: Readable,
  options: { readonly fileName: string; readonly dataset?: string; readonly said: FileDialect },
) {
  await requireUploader(app, person);
  const { fileName, said } = options;
  const mayLook =
    options.dataset !== undefined && isAtLeast(await rightOn(app, person, 'dataset', options.dataset), 'edit');
  const known = mayLook ? await findDatasetRow(app, options.dataset!) : undefined;
  const { id, kind, path, sizeBytes, rows, columns, dialect } = await takingPart(app, person, () =>
    examineUpload(app, upload, { fileName, said, known: known?.fileDialect ?? {} }),
  );
  const row: UploadRow = {
    id,
    personId: person.id,
    fileName,
    kind,
    path,
    sizeBytes,
    rowCount: rows,
    columns: [...columns],
    dialect,
    createdAt: new Date(app.now()),
  };
  await putUpload(app, row);
  return shownUpload(row, known);
}

async function ownUpload(app: App, person: PersonViewer, id: string): Promise<UploadRow> {
  const row = await findUpload(app, id);
  // What an older version looked at did not tell enough; it is sent again.
  if (!row || row.personId !== person.id || row.columns.some((one) => !Array.isArray(one.tallies)))
    throw notFound('upload', id, []);
  return row;
}

/** A file that waits, read in another way than it was found. */
export async function showUpload(app: App, person: PersonViewer, id: string, said: CellDialect) {
  const row = await ownUpload(app, person, id);
  return shownUpload({ ...row, dialect: { ...row.dialect, ...said } }, undefined);
}

export async function dropUpload(app: App, person: PersonViewer, id: string): Promise<void> {
  await ownUpload(app, person, id);
  await removeUpload(app, id);
  await rm(uploadFolder(app, id), { recursive: true, force: true });
}

/** Loads a file that was looked at, with the types, labels and keys that were settled. */
export async function loadExamined(
  app: App,
  person: PersonViewer,
  id: string,
  options: Omit<FileLoad, 'file' | 'notes'> & { readonly columns: readonly ColumnNote[] },
) {
  const file = await ownUpload(app, person, id);
  const { columns: notes, ...wish } = options;
  const loaded = await loadFile(app, person, { ...wish, file, notes });
  await dropUpload(app, person, id);
  return loaded;
}
