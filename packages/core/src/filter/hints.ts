import type { DatasetColumn, ValueType } from '../dataset/index.ts';
import { suggest, type RefusalDetails } from '../refusal/index.ts';
import type { FilterNode } from './tree.ts';
import type { TypedNode } from './typed.ts';

const quote = (text: string) => `'${text.replaceAll("'", "''")}'`;
const dateText = /^\d{4}-\d{2}-\d{2}$/;

/** What to write instead, for values that do not fit what they are compared with. */
export function mismatchHint(
  type: ValueType,
  other: FilterNode,
  typed: TypedNode,
  written: string,
): string | undefined {
  if (other.kind === 'text') {
    if (type === 'number') return `Remove the quotes: ${other.value}`;
    if (type === 'date') return `write DATE(${quote(other.value)})`;
    if (type === 'instant')
      return `write TIMESTAMP(${quote(dateText.test(other.value) ? `${other.value}T00:00:00Z` : other.value)})`;
    if (type === 'boolean') return 'Write TRUE or FALSE without quotes.';
  }
  // A day without quotes reads as a subtraction.
  const bare = written.replaceAll(/\s/g, '');
  if (typed.type === 'number' && dateText.test(bare)) {
    if (type === 'date') return `write DATE('${bare}')`;
    if (type === 'instant') return `write TIMESTAMP('${bare}T00:00:00Z')`;
  }
  if (other.kind === 'number' && type === 'text') return `Put it in quotes: '${written}'`;
  if (type === 'instant' && typed.type === 'date')
    return "Write the timestamp with its time: TIMESTAMP('2026-10-01T00:00:00Z')";
  if (type === 'date' && typed.type === 'instant') return "Write the day only: DATE('2026-10-01')";
  return undefined;
}

/** What was probably meant by a column that does not exist. `beside` is the column it is compared with. */
export function unknownColumnHint(
  node: FilterNode & { kind: 'column' },
  columns: readonly DatasetColumn[],
  beside: DatasetColumn | undefined,
): RefusalDetails {
  const names = columns.map((column) => column.name);
  const other = names.find((name) => name.toLowerCase() === node.name.toLowerCase());
  if (other !== undefined) return { nearest: [other], hint: `Did you mean “${other}”? Names are case-sensitive.` };
  const details = suggest(node.name, names);
  const isNear = details.nearest !== undefined && details.nearest.length > 0;
  if (node.quoted && !isNear) {
    return { ...details, hint: `double quotes name a column; text stands between single quotes: ${quote(node.name)}` };
  }
  if (beside?.type === 'text' && !isNear) {
    return { ...details, hint: `If “${node.name}” is a text, put it in quotes: ${quote(node.name)}` };
  }
  return details;
}
