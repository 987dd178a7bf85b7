import { columnChanges, type DatasetColumn } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { findDatasetRow } from '../dataset/index.ts';
import type { App, Impact } from '../platform/index.ts';

/**
 * Everything that columns which vanish, change their type or lose their key would break: reports, row rules, masks,
 * placements, boards and bursts, each checked as it was when it was saved.
 */
export async function impactOf(app: App, name: string, columns: readonly DatasetColumn[]): Promise<readonly Impact[]> {
  const row = await findDatasetRow(app, name);
  if (!row) return [];
  const lostKeys = row.columns.some(
    (one) => one.key !== undefined && columns.find((now) => now.name === one.name)?.key !== one.key,
  );
  if (!lostKeys && columnChanges(row.columns, columns).every((one) => one.change === 'new')) return [];
  const change = { before: { name, columns: row.columns }, after: { name, columns } };
  return app.things.losses(change);
}

/** Refuses columns that would break something. @throws {Refusal} `REFRESH_BREAKS` with everything that would break */
export async function refuseBreaks(app: App, name: string, columns: readonly DatasetColumn[]): Promise<void> {
  const impact = await impactOf(app, name, columns);
  if (impact.length === 0) return;
  const users = [...new Set(impact.map((one) => one.user))];
  throw new Refusal('REFRESH_BREAKS', `The new data would break ${users.join(', ')}. The old data stays.`, {
    hint: 'Correct the query or the items, or refresh anyway.',
    problems: impact.map((one) => ({ at: one.user, message: one.what })),
  });
}
