import type { DatasetColumn, DatasetShape } from '../dataset/index.ts';
import { compileSql, quoteName, type SqlBinder } from '../filter/index.ts';
import type { EffectiveFilter } from './effectiveFilter.ts';
import { isMasked, type Masking } from './masks.ts';

/** What stands in a column for this viewer, as SQL over the raw columns. A hidden one has no value. */
export function maskedColumnSql(column: DatasetColumn, masking: Masking, binder: SqlBinder): string {
  const name = quoteName(column.name);
  if (masking.hidden.has(column.name)) return `NULL`;
  const by = masking.coarse.get(column.name);
  if (by === undefined) return name;
  if (by.to === 'column') return quoteName(by.column);
  if (by.to === 'band') {
    const width = binder.bind(String(by.width), 'numeric');
    return `(floor(${name} / ${width}) * ${width})`;
  }
  if (column.type === 'date') return `date_trunc('${by.to}', ${name}::timestamp)::date`;
  const zone = binder.bind(masking.timeZone, 'text');
  return `(date_trunc('${by.to}', ${name} AT TIME ZONE ${zone}) AT TIME ZONE ${zone})`;
}

/**
 * The rows of one viewing as SQL: what figures select from, and the condition that they select by.
 *
 * Limits that are fixed look at the exact values; what readers send looks at masked values only, so that no filter can
 * feel out what a mask covers.
 */
export function rowsSql(
  filter: EffectiveFilter,
  options: { readonly table: string; readonly binder: SqlBinder },
): { readonly from: string; readonly where: string } {
  const { table, binder } = options;
  const { masking, dataset } = filter;
  if (!isMasked(masking)) return { from: table, where: compileSql(filter.where, binder) };
  const fixed = compileSql(filter.fixedWhere, binder);
  return {
    from: `(SELECT ${maskedColumns(dataset, masking, binder)} FROM ${table} WHERE ${fixed}) AS "masked"`,
    where: compileSql(filter.readerWhere, binder),
  };
}

function maskedColumns(dataset: DatasetShape, masking: Masking, binder: SqlBinder): string {
  const shown = dataset.columns.filter((column) => !masking.hidden.has(column.name));
  // A dataset whose columns are all hidden still has rows to count.
  if (shown.length === 0) return '1 AS "nothing"';
  return shown.map((column) => `${maskedColumnSql(column, masking, binder)} AS ${quoteName(column.name)}`).join(', ');
}
