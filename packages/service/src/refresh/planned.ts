import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import type { PlannedRefresh } from '@underbell/core/dataset';
import { nextInstants, recurrenceWords } from '@underbell/core/schedule';
import { rightsFor } from '../access/index.ts';
import { findRevisionRows, listDatasets, usualKeepSeconds } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import { newestLoads, type NewestLoad } from './newest.sql.ts';

const shownTimes = 3;

/** How every dataset that a person may change is kept fresh: its times, what came of the last load, how far one is. */
export async function plannedRefreshes(app: App, person: PersonViewer): Promise<PlannedRefresh<Date>[]> {
  const right = rightsFor(app, person);
  const all = await listDatasets(app);
  const rights = await Promise.all(all.map((one) => right({ kind: 'dataset', name: one.name })));
  const own = all.filter((_, i) => isAtLeast(rights[i], 'edit'));
  const [loads, shown] = await Promise.all([
    newestLoads(
      app,
      own.map((one) => one.name),
    ),
    findRevisionRows(
      app,
      own.flatMap(({ revisionId }) => revisionId ?? []),
    ),
  ]);
  return own.map((row): PlannedRefresh<Date> => {
    const { name, title, kind, sourceName, schedule, nextRefreshAt, staleSince, staleReason } = row;
    const [loading, ended] = [true, false].map((isLoading) =>
      loads.find((one) => one.dataset === name && (one.state === 'loading') === isLoading),
    );
    const before = row.revisionId === null ? undefined : shown.get(row.revisionId);
    const later = schedule && nextRefreshAt ? nextInstants(schedule, nextRefreshAt.getTime(), shownTimes - 1) : [];
    return {
      name,
      title,
      kind,
      ...(kind === 'live' ? { keepSeconds: row.keepSeconds ?? usualKeepSeconds } : {}),
      source: sourceName,
      schedule: schedule && { ...schedule, words: recurrenceWords(schedule) },
      next: nextRefreshAt ? [nextRefreshAt, ...later.map((one) => new Date(one))] : [],
      hasHook: row.hookFingerprint !== null,
      ...(staleSince ? { staleSince, staleReason } : {}),
      ...(ended ? { last: lastOf(ended) } : {}),
      ...(loading ? { loading: { rows: loading.rows, of: before?.rowCount ?? 0 } } : {}),
    };
  });
}

const lastOf = ({ dataset: _, ...load }: NewestLoad) => load;
