import type { RecordField } from '@underbell/core/access';

/** How a placement is tried beside a record. */
export type Position = 'everything' | 'fixed' | 'bound';

/** A condition of the simplest kind: a column is a field of the record. */
export interface SimpleCondition {
  readonly column: string;
  readonly field: string;
}

const simple = /^\s*("?)([A-Za-z_][\w ]*?)\1\s*=\s*record\('((?:[^']|'')+)'\)\s*$/;

/** What a text says, where it is of the simplest kind. */
export function simpleOf(text: string): SimpleCondition | undefined {
  const [, , column, field] = simple.exec(text) ?? [];
  return column === undefined || field === undefined ? undefined : { column, field: field.replaceAll("''", "'") };
}

const quoted = (text: string) => `'${text.replaceAll("'", "''")}'`;
const columnText = (name: string) => (/^[A-Za-z_]\w*$/.test(name) ? name : `"${name.replaceAll('"', '""')}"`);

/** CQL2 text of a simple condition; nothing, while one half is missing. */
export const textOf = ({ column, field }: SimpleCondition): string =>
  column.trim() === '' || field.trim() === '' ? '' : `${columnText(column.trim())} = record(${quoted(field.trim())})`;

function literal(type: RecordField['type'], value: string): string {
  // What is no number stays text, which the service refuses: nothing that was typed reaches out of its place.
  if (type === 'number' && /^-?\d+(\.\d+)?$/.test(value)) return value;
  if (type === 'boolean' && /^(true|false)$/i.test(value)) return value;
  if (type === 'date') return `DATE(${quoted(value)})`;
  if (type === 'instant') return `TIMESTAMP(${quoted(value)})`;
  return quoted(value);
}

/** The same conditions with the values of one record in them, for good. */
export function fixedTo(
  where: Readonly<Record<string, string>>,
  fields: readonly Pick<RecordField, 'name' | 'type'>[],
  record: Readonly<Record<string, string>>,
): Record<string, string> {
  const typeOf = (name: string) => fields.find((one) => one.name === name)?.type ?? 'text';
  return Object.fromEntries(
    Object.entries(where).map(([dataset, text]) => [
      dataset,
      text.replace(/record\('((?:[^']|'')+)'\)/g, (_, name: string) => {
        const field = name.replaceAll("''", "'");
        return literal(typeOf(field), record[field] ?? '');
      }),
    ]),
  );
}
