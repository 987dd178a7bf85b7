import { rm } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import type { PersonViewer } from '@underbell/core/access';
import type { DatasetColumn } from '@underbell/core/dataset';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { nextInstants } from '@underbell/core/schedule';
import { noSuch, requireRight } from '../access/index.ts';
import {
  annotate,
  askLoadToStop,
  changeDataset,
  checkDefinition,
  describeQuery,
  examineCsv,
  examineUpload,
  findDatasetRow,
  loadFromCsv,
  loadFromSource,
  requireLoader,
  saveDataset,
  saveDatasetIn,
  toColumns,
  uploadFolder,
  withUpload,
  type ColumnNote,
  type DatasetRow,
  type DatasetSpec,
  type LoadBy,
  type RefreshCause,
  type RefreshSchedule,
} from '../dataset/index.ts';
import { requireBudget } from '../meter/index.ts';
import { announce, enqueue, fingerprint, randomKey, remember, type App } from '../platform/index.ts';
import { refuseBreaks } from './impact.ts';
import { findHook, findUpload, putUpload, removeUpload, type UploadRow } from './store.ts';

/** How data is loaded: who wants it, why, and whether it may break what uses it. */
export interface Wish {
  readonly who: string;
  readonly cause: RefreshCause;
  readonly isForced: boolean;
}

function loadBy(app: App, name: string, { who, cause, isForced }: Wish): LoadBy {
  return {
    who,
    cause,
    ...(isForced ? {} : { check: (columns: readonly DatasetColumn[]) => refuseBreaks(app, name, columns) }),
  };
}

async function requireDataset(app: App, name: string): Promise<DatasetRow> {
  const row = await findDatasetRow(app, name);
  if (!row) throw noSuch('dataset', name, []);
  return row;
}

/** Defines a dataset by SQL on a source; a snapshot is loaded at once. */
export async function defineDataset(
  app: App,
  person: PersonViewer,
  spec: DatasetSpec,
  origin: string,
  isForced = false,
) {
  const known = await requireLoader(app, person, spec.name);
  const row = await checkDefinition(app, person, spec, known);
  if (known && !isForced) await refuseBreaks(app, spec.name, row.columns);
  const isNew = known === undefined;
  if (row.kind === 'live') {
    await saveDataset(app, person, row, isNew, origin);
    return { name: spec.name, columns: row.columns, kind: 'live' };
  }
  // What is known changes with the swap, not before: a load that fails or is stopped leaves the old definition too.
  const isKept = known?.kind === 'snapshot';
  if (!isKept) await saveDataset(app, person, row, isNew, origin);
  const loaded = await loadFromSource(
    app,
    { ...row, sourceName: spec.source, sql: spec.sql },
    {
      ...loadBy(app, spec.name, { who: person.email, cause: 'hand', isForced: true }),
      ...(isKept
        ? { atSwap: (transaction) => saveDatasetIn(app, person, row, { isNew: false, origin, transaction }) }
        : {}),
    },
  );
  return { name: spec.name, columns: row.columns, ...loaded };
}

/** Loads a snapshot anew; a failure leaves the old one, marks it stale and tells the owner. */
export async function refresh(app: App, name: string, wish: Wish) {
  const row = await requireDataset(app, name);
  if (row.kind === 'live')
    throw new Refusal('DATASET_INVALID', `\`${name}\` is live: it always is what its source answers`, {
      hint: 'there is nothing to refresh',
    });
  if (row.sourceName === null)
    throw new Refusal('DATASET_INVALID', `\`${name}\` comes from a file`, {
      hint: `load a new file: underbell dataset load FILE --name ${name}`,
    });
  try {
    await requireBudget(app, { kind: 'dataset', name });
    return await loadFromSource(app, row, loadBy(app, name, wish));
  } catch (error) {
    if (isRefusal(error, 'REFRESH_ACTIVE') || isRefusal(error, 'LOAD_STOPPED')) throw error;
    await markStale(app, row, isRefusal(error) ? error.message : 'the loading broke off', wish);
    throw error;
  }
}

export async function refreshByHand(app: App, person: PersonViewer, name: string, isForced: boolean) {
  await requireRight(app, person, 'edit', 'dataset', name);
  return refresh(app, name, { who: person.email, cause: 'hand', isForced });
}

/** Says on every page that shows it that a dataset is older than it should be, and tells its owner once. */
async function markStale(app: App, row: DatasetRow, reason: string, { cause, who }: Wish): Promise<void> {
  const isNews = row.staleSince === null;
  await app.records.transaction(async (transaction) => {
    const change = { staleReason: reason, ...(isNews ? { staleSince: new Date(app.now()) } : {}) };
    await changeDataset(app, row.name, change, transaction);
    await announce(app, { kind: 'dataset', name: row.name }, transaction);
    // Whoever stood by saw it fail.
    if (!isNews || !row.ownerEmail || (cause === 'hand' && who === row.ownerEmail)) return;
    const text = [
      `The dataset “${row.title}” could not be loaded anew:`,
      '',
      reason,
      '',
      'What was loaded before is still shown, marked as stale.',
      `${app.settings.publicUrl}/console/data/${row.name}`,
      '',
    ].join('\n');
    await enqueue(
      app,
      'notice.mail',
      { to: row.ownerEmail, subject: `${row.title} could not be loaded`, text },
      transaction,
    );
  });
}

export async function stopLoad(app: App, person: PersonViewer, name: string): Promise<void> {
  await requireRight(app, person, 'edit', 'dataset', name);
  if (!(await askLoadToStop(app, name))) throw new Refusal('INPUT_INVALID', `\`${name}\` is not being loaded`);
}

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
  return withUpload(app, upload, async (path) => {
    const found = toColumns((await examineCsv(path)).columns);
    return loadFile(app, person, { name: options.name, path, found, notes: options.columns }, options);
  });
}

/** Takes a file in to be looked at: types, samples, cells that do not fit. Nothing is loaded yet. */
export async function examine(app: App, person: PersonViewer, upload: Readable, fileName: string) {
  const { id, kind, path, sizeBytes, rows, columns } = await examineUpload(app, upload, fileName);
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

/** Labels, keys, units, formats, sensitivities; a new type is loaded anew. */
export async function editColumns(
  app: App,
  person: PersonViewer,
  name: string,
  notes: readonly ColumnNote[],
  options: { isForced: boolean; origin: string },
) {
  await requireRight(app, person, 'edit', 'dataset', name);
  const row = await requireDataset(app, name);
  const cleared = row.columns.map(({ name: column, type, sourceType, ...rest }) => {
    // What is named is said anew as a whole, so that a label can be taken away.
    const isNamed = notes.some((one) => one.name === column);
    return { name: column, type, ...(sourceType ? { sourceType } : {}), ...(isNamed ? {} : rest) };
  });
  const columns = annotate(cleared, notes);
  const retyped = columns.filter((one) => row.columns.find((was) => was.name === one.name)!.type !== one.type);
  if (!options.isForced) await refuseBreaks(app, name, columns);
  if (retyped.length > 0 && row.kind === 'snapshot') {
    if (row.sourceName === null || row.sql === null)
      throw new Refusal('DATASET_INVALID', `\`${retyped[0]!.name}\` comes from a file`, {
        pointer: 'columns',
        hint: 'load the file anew with the type you want',
      });
    const sourceTypes = new Map((await describeQuery(app, row.sourceName, row.sql)).map((one) => [one.name, one.type]));
    const typed = columns.map((one) => ({ ...one, sourceType: sourceTypes.get(one.name) ?? one.type }));
    await loadFromSource(
      app,
      { ...row, columns: typed },
      loadBy(app, name, { who: person.email, cause: 'hand', isForced: true }),
    );
    await rememberColumns(app, person, row, typed, options.origin);
    return { name, columns: typed };
  }
  await rememberColumns(app, person, row, columns, options.origin);
  return { name, columns };
}

async function rememberColumns(
  app: App,
  person: PersonViewer,
  row: DatasetRow,
  columns: DatasetColumn[],
  origin: string,
): Promise<void> {
  await app.records.transaction(async (transaction) => {
    await changeDataset(app, row.name, { columns }, transaction);
    const entry = {
      who: person.email,
      what: 'columns changed',
      thing: `dataset ${row.name}`,
      origin,
      before: row.columns,
      after: columns,
    };
    await remember(app, entry, transaction);
    await announce(app, { kind: 'dataset', name: row.name }, transaction);
  });
}

/** Sets when a snapshot is loaded anew, or that it is not by itself. */
export async function schedule(
  app: App,
  person: PersonViewer,
  name: string,
  wanted: RefreshSchedule | null,
  origin: string,
) {
  await requireRight(app, person, 'edit', 'dataset', name);
  const row = await requireDataset(app, name);
  if (wanted && (row.kind === 'live' || row.sourceName === null))
    throw new Refusal('DATASET_INVALID', `\`${name}\` cannot be loaded by itself`, {
      hint: row.kind === 'live' ? 'a live dataset is always current' : 'it comes from a file',
    });
  const [next] = wanted ? nextInstants(wanted, app.now()) : [];
  if (wanted && next === undefined)
    throw new Refusal('SCHEDULE_NEVER', 'this rule never comes true', { pointer: 'rule', word: wanted.rule });
  const nextRefreshAt = next === undefined ? null : new Date(next);
  await app.records.transaction(async (transaction) => {
    await changeDataset(app, name, { schedule: wanted, nextRefreshAt }, transaction);
    const entry = {
      who: person.email,
      what: 'refresh scheduled',
      thing: `dataset ${name}`,
      origin,
      before: row.schedule,
      after: wanted,
    };
    await remember(app, entry, transaction);
  });
  return { name, nextRefreshAt };
}

/** Makes the address that loads a dataset when it is called, or takes it away. The key is shown once. */
export async function makeHook(
  app: App,
  person: PersonViewer,
  name: string,
  isWanted: boolean,
  origin: string,
): Promise<{ url?: string }> {
  await requireRight(app, person, 'edit', 'dataset', name);
  await requireDataset(app, name);
  const key = isWanted ? randomKey('ubr') : undefined;
  await app.records.transaction(async (transaction) => {
    await changeDataset(app, name, { hookFingerprint: key ? fingerprint(key) : null }, transaction);
    const what = isWanted ? 'refresh address made' : 'refresh address taken away';
    await remember(app, { who: person.email, what, thing: `dataset ${name}`, origin }, transaction);
  });
  return key ? { url: `${app.settings.publicUrl}/api/v1/hooks/refresh/${key}` } : {};
}

/** A call of the refresh address: the loading starts in the background. @throws {Refusal} `NOT_FOUND` */
export async function callHook(app: App, key: string): Promise<void> {
  const name = await findHook(app, fingerprint(key));
  if (name === undefined) throw noSuch('refresh address', '', []);
  await app.records.transaction((transaction) =>
    enqueue(app, 'dataset.refresh', { name, cause: 'webhook' }, transaction),
  );
}
