import { rm } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import type { DatasetColumn } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { noSuch, rightOn } from '../access/index.ts';
import {
  annotate,
  examineUpload,
  listDatasets,
  loadFromCsv,
  requireLoader,
  saveDataset,
  toColumns,
  uploadFolder,
  withUpload,
  type ColumnNote,
  type DatasetRow,
} from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import { refuseBreaks } from './impact.ts';
import { countUploads, findUpload, putUpload, removeUpload, type UploadRow } from './store.ts';
import { loadBy } from './usecases.ts';

/** What people said about columns before still holds for the next file; what is said now goes over it. */
function fileColumns(
  known: DatasetRow | undefined,
  found: readonly DatasetColumn[],
  notes: readonly ColumnNote[],
): DatasetColumn[] {
  const kept = (known?.columns ?? [])
    .filter((one) => found.some((column) => column.name === one.name))
    .map(({ type: _type, sourceType: _sourceType, ...note }) => note);
  return annotate(annotate(found, kept), notes);
}

async function loadFile(
  app: App,
  person: PersonViewer,
  file: {
    name: string;
    title?: string;
    path: string;
    found: readonly DatasetColumn[];
    notes: readonly ColumnNote[];
    badCells?: 'refuse' | 'empty';
  },
  options: { isForced: boolean; origin: string },
) {
  const known = await requireLoader(app, person, file.name);
  if (known?.sourceName)
    throw new Refusal('NAME_TAKEN', `\`${file.name}\` is loaded from the source \`${known.sourceName}\``, {
      hint: 'choose another name',
    });
  const columns = fileColumns(known, file.found, file.notes);
  if (known && !options.isForced) await refuseBreaks(app, file.name, columns);
  // The columns of a known dataset change with the swap, not before.
  const row = {
    name: file.name,
    title: file.title ?? known?.title ?? file.name,
    sourceName: null,
    sql: null,
    columns: known?.columns ?? columns,
    rowOrder: [],
    ownerEmail: known?.ownerEmail ?? person.email,
  };
  await saveDataset(app, person, row, known === undefined, options.origin);
  const by = loadBy(app, file.name, { who: person.email, cause: 'upload', isForced: options.isForced });
  const loaded = await loadFromCsv(app, { name: file.name, columns }, file.path, {
    ...by,
    ...(file.badCells ? { badCells: file.badCells } : {}),
  });
  return { ...loaded, columns };
}

/** Loads an uploaded CSV in one step, its types inferred. */
export async function loadUpload(
  app: App,
  person: PersonViewer,
  upload: Readable,
  options: { name: string; columns: readonly ColumnNote[]; isForced: boolean; origin: string },
) {
  await requireLoader(app, person, options.name);
  return takingPart(app, person, () =>
    withUpload(app, upload, async ({ path, columns }) => {
      const found = toColumns(columns);
      return loadFile(app, person, { name: options.name, path, found, notes: options.columns }, options);
    }),
  );
}

/** Files are taken in for those who may make datasets, or load into one. @throws {Refusal} `NOT_ALLOWED` */
async function requireUploader(app: App, person: PersonViewer): Promise<void> {
  if (isAtLeast(await rightOn(app, person, 'dataset', '*'), 'edit')) return;
  const names = (await listDatasets(app)).map((one) => one.name);
  for (const name of names) if (isAtLeast(await rightOn(app, person, 'dataset', name), 'edit')) return;
  throw new Refusal('NOT_ALLOWED', 'you may not load files', {
    hint: 'those who may make a dataset, or change one, may',
  });
}

const underWay = new WeakMap<App, Map<string, number>>();

/** So many files of one person are taken in at once, or wait to be loaded. @throws {Refusal} `TOO_MANY` */
async function takingPart<T>(app: App, person: PersonViewer, work: () => Promise<T>): Promise<T> {
  const counts = underWay.get(app) ?? new Map<string, number>();
  underWay.set(app, counts);
  const { maxEach } = app.settings.uploads;
  const now = () => counts.get(person.id) ?? 0;
  counts.set(person.id, now() + 1);
  try {
    if (now() + (await countUploads(app, person.id)) > maxEach)
      throw new Refusal('TOO_MANY', `${maxEach} of your files are taken in or wait to be loaded`, {
        hint: 'load or drop some of them first',
      });
    return await work();
  } finally {
    if (now() <= 1) counts.delete(person.id);
    else counts.set(person.id, now() - 1);
  }
}

/** Takes a file in to be looked at: types, samples, cells that do not fit. Nothing is loaded yet. */
export async function examine(app: App, person: PersonViewer, upload: Readable, fileName: string) {
  await requireUploader(app, person);
  const { id, kind, path, sizeBytes, rows, columns } = await takingPart(app, person, () =>
    examineUpload(app, upload, fileName),
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
    createdAt: new Date(app.now()),
  };
  await putUpload(app, row);
  return { id, kind, fileName, sizeBytes, rows, columns };
}

async function ownUpload(app: App, person: PersonViewer, id: string): Promise<UploadRow> {
  const row = await findUpload(app, id);
  if (!row || row.personId !== person.id) throw noSuch('upload', id, []);
  return row;
}

export async function dropUpload(app: App, person: PersonViewer, id: string): Promise<void> {
  await ownUpload(app, person, id);
  await removeUpload(app, id);
  await rm(uploadFolder(app, id), { recursive: true, force: true });
}

/** Cells that do not fit the types that were chosen, column by column. */
function refuseMisfits(upload: UploadRow, columns: readonly DatasetColumn[]): void {
  const problems = upload.columns.flatMap((found) => {
    const { name, type } = columns.find((one) => one.name === found.name)!;
    const misfits = found.misfits.find((one) => one.type === type);
    if (!misfits) return [];
    const first = misfits.first.map((one) => `row ${one.row} \`${one.value}\``).join(', ');
    return [
      { at: name, message: `${misfits.count} ${misfits.count === 1 ? 'cell is' : 'cells are'} not ${type}: ${first}` },
    ];
  });
  if (problems.length === 0) return;
  throw new Refusal('CELLS_INVALID', `cells of ${problems.map((one) => `\`${one.at}\``).join(', ')} do not fit`, {
    problems,
    hint: 'choose another type, or let such cells count as missing',
  });
}

/** Loads a file that was looked at, with the types, labels and keys that were settled. */
export async function loadExamined(
  app: App,
  person: PersonViewer,
  id: string,
  options: {
    name: string;
    title?: string;
    columns: readonly ColumnNote[];
    badCells: 'refuse' | 'empty';
    isForced: boolean;
    origin: string;
  },
) {
  const upload = await ownUpload(app, person, id);
  const found = toColumns(upload.columns);
  const known = await requireLoader(app, person, options.name);
  if (options.badCells === 'refuse') refuseMisfits(upload, fileColumns(known, found, options.columns));
  const { name, title, badCells } = options;
  const loaded = await loadFile(
    app,
    person,
    { name, ...(title ? { title } : {}), path: upload.path, found, notes: options.columns, badCells },
    options,
  );
  await dropUpload(app, person, id);
  return { name, ...loaded };
}
