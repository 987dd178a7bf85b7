import type { DatasetColumn } from '../dataset/index.ts';
import { quoteName, type SqlBinder } from '../filter/index.ts';
import type { Masking } from './masks.ts';

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
