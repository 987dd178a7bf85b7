/** What a column holds. `integer` and `number` compare alike; they differ in storage and format. */
export type ColumnType = 'text' | 'integer' | 'number' | 'boolean' | 'date' | 'instant';
export const columnTypes: readonly ColumnType[] = ['text', 'integer', 'number', 'boolean', 'date', 'instant'];

/** Steps that dates are gathered by; weeks begin on Monday. */
export type DateStep = 'day' | 'week' | 'month' | 'quarter' | 'year';
export const dateSteps: readonly DateStep[] = ['day', 'week', 'month', 'quarter', 'year'];

/** How careful people must be with a column. */
export type Sensitivity = 'open' | 'internal' | 'confidential';
export const sensitivities: readonly Sensitivity[] = ['open', 'internal', 'confidential'];

export interface DatasetColumn {
  readonly name: string;
  readonly type: ColumnType;
  /** What people read; the name when left out. */
  readonly label?: string;
  /** The meaning shared with other datasets, so that one value filters all of them. */
  readonly key?: string;
  readonly unit?: string;
  /** Unicode number pattern, such as `#,##0.0`. */
  readonly format?: string;
  readonly sensitivity?: Sensitivity;
  /** Its owner says that a token which fixes it shows no more than one person’s rows, whatever the row rules look at. */
  readonly guards?: true;
  /** The type that the source gave, where a refresh compares it. */
  readonly sourceType?: ColumnType;
}

/** The typed shape of a dataset, as filters and figures see it. */
export interface DatasetShape {
  readonly name: string;
  readonly columns: readonly DatasetColumn[];
}

/** The type that a filter compares with. */
export type ValueType = 'text' | 'number' | 'boolean' | 'date' | 'instant';

/**
 * A value as filters hold it: text and boolean as themselves, a number as a double or, where no double says it
 * exactly, as its decimal text, a date as `YYYY-MM-DD`, an instant as milliseconds since 1970-01-01T00:00:00Z
 * (microseconds as fractions). `infinity` and `-infinity` stand for dates without end, ±Infinity for such instants.
 */
export type Value = string | number | boolean;

export function valueTypeOf(type: ColumnType): ValueType {
  return type === 'integer' ? 'number' : type;
}

/** What stands above a column of a file: its label or name, with its unit. */
export const columnHeading = ({ name, label, unit }: DatasetColumn): string =>
  unit ? `${label ?? name} (${unit})` : (label ?? name);

/** What people read: the label, or the name as words. */
export function columnLabel(column: DatasetColumn): string {
  if (column.label !== undefined) return column.label;
  const words = column.name.replaceAll('_', ' ');
  return words.charAt(0).toUpperCase() + words.slice(1);
}
