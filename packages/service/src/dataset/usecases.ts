import { decideAccess, EffectiveFilter, isAtLeast, type PersonViewer } from '@underbell/core/access';
import {
  type ListedDataset,
  type ShownDataset,
  fieldName,
  type ColumnType,
  type DatasetColumn,
  type Sensitivity,
} from '@underbell/core/dataset';
import { checkReaderFilter, readFilter } from '@underbell/core/filter';
import { Refusal, suggest } from '@underbell/core/refusal';
import { recurrenceWords } from '@underbell/core/schedule';
import { limitsOn, putOwner, requireAuthor, requireRight, rightOn, visibleNames } from '../access/index.ts';
import { holdName, announce, momentOf, remember, type App } from '../platform/index.ts';
import { describeQuery, refreshedColumns } from './load.ts';
import { refuseSmallGroups, tooSmall, type RowRequest } from './request.ts';
import { countRowsPerLimit, ownCounts } from './rowCounts.ts';
import {
  findDataset,
  findDatasetRow,
  findRevisionRows,
  isDatasetBinned,
  listDatasets,
  listRevisions,
  putDataset,
  readableRevision,
  usualKeepSeconds,
  type DatasetSpecRow,
} from './store.ts';
import type { DatasetKind, DatasetRow } from './models.ts';

/** What a publisher says about a column; the type comes from the source or the file unless it is given. */
export interface ColumnNote {
  readonly name: string;
  readonly type?: ColumnType;
  readonly label?: string;
  readonly key?: string;
  readonly unit?: string;
  readonly format?: string;
  readonly sensitivity?: Sensitivity;
  readonly guards?: true;
}

/** Lays a publisher's notes over the columns that are there. @throws {Refusal} `DATASET_INVALID` for a column that is not */
export function annotate(columns: readonly DatasetColumn[], notes: readonly ColumnNote[]): DatasetColumn[] {
  const names = columns.map((one) => one.name);
  for (const note of notes) {
    if (names.includes(note.name)) continue;
    throw new Refusal('DATASET_INVALID', `The data has no column “${note.name}”.`, {
      pointer: 'columns',
      word: note.name,
      ...suggest(note.name, names),
    });
  }
  const bad = names.find((name) => !fieldName.test(name));
  if (bad !== undefined) {
    throw new Refusal('DATASET_INVALID', `The column name “${bad}” is not allowed.`, {
      word: bad,
      hint: 'Use lower-case letters, digits and underscores; rename it in the query with AS.',
    });
  }
  return columns.map((column) => ({ ...column, ...notes.find((note) => note.name === column.name) }));
}

export interface DatasetSpec {
  readonly name: string;
  readonly title?: string;
  readonly source: string;
  readonly sql: string;
  readonly columns?: readonly ColumnNote[];
  readonly order?: readonly string[];
  readonly description?: string;
  readonly kind?: DatasetKind;
  readonly keepSeconds?: number;
}

/** Who may load into a dataset: its editors, or for a new one whoever may make datasets. */
export async function requireLoader(app: App, person: PersonViewer, name: string): Promise<DatasetRow | undefined> {
  const known = await findDatasetRow(app, name);
  if (known) await requireRight(app, person, 'edit', 'dataset', name);
  else {
    if (await isDatasetBinned(app, name))
      throw new Refusal('NAME_TAKEN', `Dataset “${name}” is in the trash.`, {
        hint: 'Restore it, or use another name.',
      });
    await requireAuthor(app, person, 'dataset');
  }
  return known;
}

/** Checks a definition by SQL on a source against what the source answers, without saving or loading. */
export async function checkDefinition(
  app: App,
  person: PersonViewer,
  spec: DatasetSpec,
  known: DatasetRow | undefined,
): Promise<DatasetSpecRow> {
  await requireRight(app, person, 'view', 'source', spec.source);
  // What was said of columns stays with them: keys that filters go by, labels, sensitivity.
  // Types of a file were read from its text: they are no choice that outlives it.
  const before = known?.columns.map((one) => (known.sourceName === null ? { ...one, sourceType: one.type } : one));
  const found = refreshedColumns(before ?? [], await describeQuery(app, spec.source, spec.sql));
  const columns = annotate(found, spec.columns ?? []);
  const unknown = spec.order?.find((name) => !columns.some((one) => one.name === name));
  if (unknown !== undefined)
    throw new Refusal('DATASET_INVALID', `The row order has an unknown column “${unknown}”.`, {
      word: unknown,
      ...suggest(
        unknown,
        columns.map((one) => one.name),
      ),
    });
  return {
    name: spec.name,
    title: spec.title ?? known?.title ?? spec.name,
    description: spec.description ?? known?.description ?? '',
    sourceName: spec.source,
    sql: spec.sql,
    columns,
    rowOrder: [...(spec.order ?? known?.rowOrder.filter((name) => columns.some((one) => one.name === name)) ?? [])],
    kind: spec.kind ?? 'snapshot',
    keepSeconds: spec.keepSeconds ?? null,
    ownerEmail: known?.ownerEmail ?? person.email,
  };
}

export async function saveDataset(
  app: App,
  person: PersonViewer,
  row: DatasetSpecRow,
  isNew: boolean,
  origin: string,
): Promise<void> {
  await app.records.transaction(() => saveDatasetIn(app, person, row, { isNew, origin }));
}

/** The same within a change of more. */
export async function saveDatasetIn(
  app: App,
  person: PersonViewer,
  row: DatasetSpecRow,
  { isNew, origin }: { isNew: boolean; origin: string },
): Promise<void> {
  await holdName(app, { kind: 'dataset', name: row.name }, !isNew);
  await putDataset(app, row);
  if (isNew) await putOwner(app, person, { kind: 'dataset', name: row.name });
  const after = { sql: row.sql, columns: row.columns };
  const thing = `dataset ${row.name}`;
  await remember(app, { who: person.email, what: 'dataset defined', thing, origin, after });
  await announce(app, { kind: 'dataset', name: row.name });
}

/** A dataset as its viewers see it. */
export async function showDataset(app: App, person: PersonViewer, name: string): Promise<ShownDataset<Date>> {
  await requireRight(app, person, 'view', 'dataset', name);
  const shape = await findDataset(app, name);
  const row = (await findDatasetRow(app, name))!;
  const revisions = await listRevisions(app, name);
  const isEditor = isAtLeast(await rightOn(app, person, 'dataset', name), 'edit');
  const { visible } = EffectiveFilter.start(
    decideAccess({ dataset: shape, ...(await limitsOn(app, [name])), viewer: person, moment: momentOf(app) }),
  );
  // What is hidden from somebody has no name for them either, unless they decide about the dataset.
  const isTold = (column: string) => isEditor || visible.columns.some((one) => one.name === column);
  return {
    name,
    title: row.title,
    description: row.description,
    kind: row.kind,
    ...(row.kind === 'live' ? { keepSeconds: row.keepSeconds ?? usualKeepSeconds } : {}),
    source: row.sourceName,
    ...(isEditor ? { sql: row.sql } : {}),
    columns: shape.columns.filter((one) => isTold(one.name)),
    order: row.rowOrder.filter(isTold),
    schedule: row.schedule && { ...row.schedule, words: recurrenceWords(row.schedule) },
    nextRefreshAt: row.nextRefreshAt,
    hasHook: row.hookFingerprint !== null,
    owner: row.ownerEmail,
    ...(row.staleSince ? { staleSince: row.staleSince, staleReason: row.staleReason } : {}),
    revisions: revisions.map((one) => ({
      number: one.number,
      rows: one.rowCount,
      state: one.state,
      error: one.error,
      startedAt: one.startedAt,
      finishedAt: one.finishedAt,
      cause: one.cause,
      startedBy: one.startedBy,
      ...(one.impact.length > 0 ? { impact: one.impact } : {}),
      isCurrent: one.id === row.revisionId,
    })),
  };
}

export async function seenDatasets(app: App, person: PersonViewer): Promise<ListedDataset<Date>[]> {
  const all = await listDatasets(app);
  const names = await visibleNames(
    app,
    person,
    'dataset',
    all.map((one) => one.name),
  );
  const seen = all.filter((one) => names.includes(one.name));
  const shown = await findRevisionRows(
    app,
    seen.flatMap(({ revisionId }) => revisionId ?? []),
  );
  return seen.map((row) => {
    const { name, title, kind, sourceName, columns, revisionId, nextRefreshAt, staleSince, staleReason } = row;
    const current = revisionId === null ? undefined : shown.get(revisionId);
    return {
      name,
      title,
      kind,
      source: sourceName,
      columns: columns.length,
      isLoaded: kind === 'live' || revisionId !== null,
      ...(current ? { rows: current.rowCount, loadedAt: current.finishedAt } : {}),
      nextRefreshAt,
      ...(staleSince ? { staleSince, staleReason } : {}),
    };
  });
}

/** What one person may read of a dataset, narrowed by that person's own filter. */
export async function ownRows(
  app: App,
  person: PersonViewer,
  name: string,
  where: string | undefined,
): Promise<RowRequest> {
  await requireRight(app, person, 'view', 'dataset', name);
  await findDataset(app, name);
  const revision = await readableRevision(app, name);
  const moment = momentOf(app);
  const start = EffectiveFilter.start(
    decideAccess({ dataset: revision.shape, ...(await limitsOn(app, [name])), viewer: person, moment }),
  );
  if (where === undefined) return { lane: 'readers', revision, filter: start };
  const node = checkReaderFilter(readFilter(where), { dataset: start.visible, text: where, ...moment });
  return {
    lane: 'readers',
    revision,
    filter: start.narrow({ origin: 'reader', name: 'own filter', node, isFixed: false }),
  };
}

/** How many rows one person's filter keeps, and what it was understood to mean. @throws {Refusal} `GROUPS_TOO_SMALL` */
export async function tryFilter(app: App, person: PersonViewer, name: string, where: string | undefined) {
  const request = await ownRows(app, person, name, where);
  const { filter, revision } = request;
  refuseSmallGroups(request, 'counts');
  const counts = await countRowsPerLimit(app, request);
  const rows = counts.at(-1)!;
  const { minRows } = filter.masking;
  if (rows < minRows) throw tooSmall(minRows);
  // What each limit leaves out would tell of few rows.
  const [, ...left] = minRows > 1 ? [] : ownCounts(filter, counts);
  const limits = filter
    .explain()
    .map((limit, i) => ({ ...limit, ...(left[i] === undefined ? {} : { rowsLeft: left[i] }) }));
  return { dataset: name, revision: revision.number, rows, limits };
}
