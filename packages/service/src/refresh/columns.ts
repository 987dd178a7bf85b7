import type { PersonViewer } from '@underbell/core/access';
import type { DatasetColumn } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { requireRight } from '../access/index.ts';
import {
  annotate,
  changeDataset,
  describeQuery,
  findKeptRevision,
  loadFromSource,
  showRevision,
  type ColumnNote,
  type DatasetRow,
} from '../dataset/index.ts';
import { announce, remember, type App } from '../platform/index.ts';
import { refuseBreaks } from './impact.ts';
import { loadBy, requireDataset } from './usecases.ts';

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
      throw new Refusal('DATASET_INVALID', `Column “${retyped[0]!.name}” comes from a file.`, {
        pointer: 'columns',
        hint: 'Import the file again with the new type.',
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
  await app.records.transaction(async () => {
    await changeDataset(app, row.name, { columns });
    const entry = {
      who: person.email,
      what: 'columns changed',
      thing: `dataset ${row.name}`,
      origin,
      before: row.columns,
      after: columns,
    };
    await remember(app, entry);
    await announce(app, { kind: 'dataset', name: row.name });
  });
}

/** Shows an earlier revision again, whose rows are still there; the next loading goes on from the newest number. */
export async function goBack(
  app: App,
  person: PersonViewer,
  name: string,
  number: number,
  options: { isForced: boolean; origin: string },
) {
  await requireRight(app, person, 'edit', 'dataset', name);
  const row = await requireDataset(app, name);
  const gone = () =>
    new Refusal('NOT_FOUND', `The rows of version ${number} of dataset “${name}” are no longer kept.`, {
      word: String(number),
      hint: `See: underbell dataset show ${name}`,
    });
  const revision = await findKeptRevision(app, name, number);
  if (!revision) throw gone();
  const columns = revision.columns.map((one) => {
    const known = row.columns.find((column) => column.name === one.name);
    return { ...(known ?? one), type: one.type, ...(one.sourceType ? { sourceType: one.sourceType } : {}) };
  });
  if (!options.isForced) await refuseBreaks(app, name, columns);
  await app.records.transaction(async () => {
    if (!(await showRevision(app, revision, columns))) throw gone();
    const entry = { who: person.email, what: `rolled back to version ${number}`, thing: `dataset ${name}` };
    await remember(app, { ...entry, origin: options.origin });
  });
  return { name, revision: number, rows: Number(revision.rowCount), columns };
}
