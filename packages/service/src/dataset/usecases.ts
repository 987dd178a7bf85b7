import type { Readable } from 'node:stream';
import { EffectiveFilter, decideAccess, type PersonViewer } from '@underbell/core/access';
import { fieldName, type ColumnType, type DatasetColumn } from '@underbell/core/dataset';
import { checkFilter, readFilter } from '@underbell/core/filter';
import { Refusal, suggest } from '@underbell/core/refusal';
import { limitsOn, noSuch, putGrant, requireMaker, requireRight, visibleNames } from '../access/index.ts';
import { momentOf, remember, type App } from '../platform/index.ts';
import { describeQuery, loadFromCsv, loadFromSource, withUpload } from './load.ts';
import { countRowsPerLimit, type RowRequest } from './road.ts';
import { findDataset, findDatasetRow, listDatasets, listRevisions, putDataset, readableRevision } from './store.ts';

/** What a publisher says about a column; the type comes from the source or the file unless it is given. */
export interface ColumnNote {
  readonly name: string;
  readonly type?: ColumnType;
  readonly label?: string;
  readonly key?: string;
  readonly unit?: string;
  readonly format?: string;
}

/** Lays a publisher's notes over the columns that are there. @throws {Refusal} `DATASET_INVALID` for a column that is not */
function annotate(columns: readonly DatasetColumn[], notes: readonly ColumnNote[]): DatasetColumn[] {
  const names = columns.map((one) => one.name);
  for (const note of notes) {
    if (names.includes(note.name)) continue;
    throw new Refusal('DATASET_INVALID', `the data has no column \`${note.name}\``, {
      pointer: 'columns',
      word: note.name,
      ...suggest(note.name, names),
    });
  }
  const bad = names.find((name) => !fieldName.test(name));
  if (bad !== undefined) {
    throw new Refusal('DATASET_INVALID', `the column name \`${bad}\` cannot be used`, {
      word: bad,
      hint: 'lower-case letters, digits and underscores; rename it in the query with AS',
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
}

/** Defines a dataset by SQL on a source and loads its first revision. */
export async function defineDataset(app: App, person: PersonViewer, spec: DatasetSpec, origin: string) {
  const known = await findDatasetRow(app, spec.name);
  if (known) await requireRight(app, person, 'edit', 'dataset', spec.name);
  else await requireMaker(app, person, 'dataset');
  await requireRight(app, person, 'view', 'source', spec.source);
  const columns = annotate(await describeQuery(app, spec.source, spec.sql), spec.columns ?? []);
  const unknown = spec.order?.find((name) => !columns.some((one) => one.name === name));
  if (unknown !== undefined)
    throw new Refusal('DATASET_INVALID', `the order names no column: \`${unknown}\``, {
      word: unknown,
      ...suggest(
        unknown,
        columns.map((one) => one.name),
      ),
    });
  const row = {
    name: spec.name,
    title: spec.title ?? spec.name,
    sourceName: spec.source,
    sql: spec.sql,
    columns,
    rowOrder: [...(spec.order ?? [])],
  };
  await save(app, person, row, known === undefined, origin);
  return { name: spec.name, columns, ...(await loadFromSource(app, { ...row, revisionId: null })) };
}

async function save(
  app: App,
  person: PersonViewer,
  row: Parameters<typeof putDataset>[1],
  isNew: boolean,
  origin: string,
): Promise<void> {
  await app.records.transaction(async (transaction) => {
    await putDataset(app, row, transaction);
    if (isNew) {
      const thing = { kind: 'dataset', name: row.name } as const;
      await putGrant(app, { holder: { kind: 'person', name: person.email }, thing, level: 'own' }, transaction);
    }
    await remember(
      app,
      {
        who: person.email,
        what: 'dataset defined',
        thing: `dataset ${row.name}`,
        origin,
        after: { sql: row.sql, columns: row.columns },
      },
      transaction,
    );
  });
}

/** Loads a snapshot anew from its source. */
export async function refreshDataset(
  app: App,
  person: PersonViewer,
  name: string,
): Promise<{ revision: number; rows: number }> {
  await requireRight(app, person, 'edit', 'dataset', name);
  const row = await findDatasetRow(app, name);
  if (!row) throw noSuch('dataset', name, []);
  if (row.sourceName === null)
    throw new Refusal('DATASET_INVALID', `\`${name}\` comes from a file`, {
      hint: `load a new file: underbell dataset load FILE --name ${name}`,
    });
  return loadFromSource(app, row);
}

/** Loads an uploaded CSV as the next revision of a dataset, which is made when it is new. */
export async function loadUpload(
  app: App,
  person: PersonViewer,
  upload: Readable,
  options: { name: string; columns: readonly ColumnNote[]; origin: string },
) {
  const { name } = options;
  const known = await findDatasetRow(app, name);
  if (known) await requireRight(app, person, 'edit', 'dataset', name);
  else await requireMaker(app, person, 'dataset');
  if (known?.sourceName)
    throw new Refusal('NAME_TAKEN', `\`${name}\` is loaded from the source \`${known.sourceName}\``, {
      hint: 'choose another name',
    });
  return withUpload(app, upload, (path) =>
    loadFromCsv(app, name, path, async (inferred) => {
      // What was said about a column before still holds for the next file.
      const kept = (known?.columns ?? [])
        .filter((one) => inferred.some((column) => column.name === one.name))
        .map(({ type: _, ...note }) => note);
      const columns = annotate(annotate(inferred, kept), options.columns);
      // The columns of a known dataset change with the swap, not before.
      const row = {
        name,
        title: known?.title ?? name,
        sourceName: null,
        sql: null,
        columns: known?.columns ?? columns,
        rowOrder: [],
      };
      await save(app, person, row, known === undefined, options.origin);
      return columns;
    }),
  );
}

/** A dataset as its viewers see it. */
export async function showDataset(app: App, person: PersonViewer, name: string) {
  await requireRight(app, person, 'view', 'dataset', name);
  const shape = await findDataset(app, name);
  const row = (await findDatasetRow(app, name))!;
  const revisions = await listRevisions(app, name);
  return {
    name,
    title: row.title,
    source: row.sourceName,
    columns: shape.columns,
    order: row.rowOrder,
    revisions: revisions.map((one) => ({
      number: one.number,
      rows: Number(one.rowCount),
      state: one.state,
      error: one.error,
      startedAt: one.startedAt,
      finishedAt: one.finishedAt,
      isCurrent: one.id === row.revisionId,
    })),
  };
}

export async function seenDatasets(app: App, person: PersonViewer) {
  const all = await listDatasets(app);
  const names = await visibleNames(
    app,
    person,
    'dataset',
    all.map((one) => one.name),
  );
  return all
    .filter((one) => names.includes(one.name))
    .map(({ name, title, sourceName, columns, revisionId }) => ({
      name,
      title,
      source: sourceName,
      columns: columns.length,
      isLoaded: revisionId !== null,
    }));
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
  const node = checkFilter(readFilter(where), { dataset: start.visible, text: where, ...moment });
  return {
    lane: 'readers',
    revision,
    filter: start.narrow({ origin: 'reader', name: 'own filter', node, isFixed: false }),
  };
}

/** How many rows one person's filter keeps, and what it was understood to mean. */
export async function tryFilter(app: App, person: PersonViewer, name: string, where: string | undefined) {
  const request = await ownRows(app, person, name, where);
  const [total, ...left] = await countRowsPerLimit(app, request);
  const limits = request.filter.explain().map((limit, i) => ({ ...limit, rowsLeft: left[i]! }));
  return { dataset: name, revision: request.revision.number, rows: left.at(-1) ?? total!, limits };
}
