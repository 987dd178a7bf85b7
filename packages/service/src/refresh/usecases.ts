import type { PersonViewer } from '@underbell/core/access';
import type { DatasetColumn } from '@underbell/core/dataset';
import { Refusal, isRefusal } from '@underbell/core/refusal';
import { notFound, requireRight } from '../access/index.ts';
import {
  askLoadToStop,
  changeDataset,
  checkDefinition,
  findDatasetRow,
  loadFromSource,
  requireLoader,
  saveDataset,
  saveDatasetIn,
  type DatasetRow,
  type DatasetSpec,
  type LoadBy,
  type RefreshCause,
} from '../dataset/index.ts';
import { requireBudget } from '../usage/index.ts';
import { announce, enqueue, type App } from '../platform/index.ts';
import { refuseBreaks } from './impact.ts';

/** How data is loaded: who wants it, why, and whether it may break what uses it. */
export interface Wish {
  readonly who: string;
  readonly cause: RefreshCause;
  readonly isForced: boolean;
}

/** A loading as `wish` wants it: unless it is forced, it refuses columns that would break what uses them. */
export function loadBy(app: App, name: string, { who, cause, isForced }: Wish): LoadBy {
  return {
    who,
    cause,
    ...(isForced ? {} : { check: (columns: readonly DatasetColumn[]) => refuseBreaks(app, name, columns) }),
  };
}

/** @throws {Refusal} `NOT_FOUND` */
export async function requireDataset(app: App, name: string): Promise<DatasetRow> {
  const row = await findDatasetRow(app, name);
  if (!row) throw notFound('dataset', name, []);
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
      ...(isKept ? { atSwap: () => saveDatasetIn(app, person, row, { isNew: false, origin }) } : {}),
    },
  );
  return { name: spec.name, columns: row.columns, ...loaded };
}

/** Loads a snapshot anew; a failure leaves the old one, marks it stale and tells the owner. */
export async function refresh(app: App, name: string, wish: Wish) {
  const row = await requireDataset(app, name);
  if (row.kind === 'live')
    throw new Refusal('DATASET_INVALID', `Dataset “${name}” is live and always current.`, {
      hint: 'There is nothing to refresh.',
    });
  if (row.sourceName === null)
    throw new Refusal('DATASET_INVALID', `Dataset “${name}” comes from a file.`, {
      hint: `Import a new file: underbell dataset upload FILE --name ${name}`,
    });
  try {
    await requireBudget(app, { kind: 'dataset', name });
    return await loadFromSource(app, row, loadBy(app, name, wish));
  } catch (error) {
    if (isRefusal(error, 'REFRESH_ACTIVE') || isRefusal(error, 'REFRESH_CANCELLED')) throw error;
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
  await app.records.transaction(async () => {
    const change = { staleReason: reason, ...(isNews ? { staleSince: new Date(app.now()) } : {}) };
    await changeDataset(app, row.name, change);
    await announce(app, { kind: 'dataset', name: row.name });
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
    await enqueue(app, 'notice.mail', { to: row.ownerEmail, subject: `Refresh failed: ${row.title}`, text });
  });
}

export async function stopLoad(app: App, person: PersonViewer, name: string): Promise<void> {
  await requireRight(app, person, 'edit', 'dataset', name);
  if (!(await askLoadToStop(app, name)))
    throw new Refusal('INPUT_INVALID', `Dataset “${name}” is not being refreshed.`);
}
