import type { ColumnType, DatasetColumn } from './columns.ts';

/** What happened to a column between two revisions. */
export type ColumnChange =
  | { readonly change: 'vanished' | 'new'; readonly column: string }
  | { readonly change: 'type'; readonly column: string; readonly from: ColumnType; readonly to: ColumnType };

/** Columns that vanished, came, or changed their type. */
export function columnChanges(before: readonly DatasetColumn[], after: readonly DatasetColumn[]): ColumnChange[] {
  const now = new Map(after.map((one) => [one.name, one]));
  const was = new Set(before.map((one) => one.name));
  return [
    ...before.flatMap((one): ColumnChange[] => {
      const found = now.get(one.name);
      if (!found) return [{ change: 'vanished', column: one.name }];
      return found.type === one.type ? [] : [{ change: 'type', column: one.name, from: one.type, to: found.type }];
    }),
    ...after.filter((one) => !was.has(one.name)).map((one): ColumnChange => ({ change: 'new', column: one.name })),
  ];
}
