import type { RuleVocabulary } from '@underbell/core/access';
import type { Completion, CompletionContext, CompletionResult } from '@codemirror/autocomplete';
import { call } from '../platform/api.ts';

const words: readonly Completion[] = [
  ...['AND', 'OR', 'NOT', 'IN', 'BETWEEN', 'LIKE', 'IS NULL', 'TRUE', 'FALSE'].map((label) => ({
    label,
    type: 'keyword',
  })),
  ...[
    ["person('…')", "person('", 'user attribute'],
    ['today()', 'today()', 'today'],
    ['now()', 'now()', 'now'],
    ["DATE('…')", "DATE('", 'a day'],
    ["TIMESTAMP('…')", "TIMESTAMP('", 'an instant'],
    ['CASEI(…)', 'CASEI(', 'ignore case'],
    ['ACCENTI(…)', 'ACCENTI(', 'ignore accents'],
    ['T_DURING(…)', 'T_DURING(', 'between'],
    ['A_OVERLAPS(…)', 'A_OVERLAPS((', 'lists with a common value'],
  ].map(([label, apply, detail]) => ({ label: label!, apply: apply!, detail: detail!, type: 'function' })),
];

/** The column that a text being written is compared with, and what of the text stands there. */
const afterColumn = /([\p{L}_][\p{L}\p{N}_.]*)\s*(?:=|<>|NOT\s+IN\s*\([^)]*|IN\s*\([^)]*)\s*'((?:[^']|'')*)$/iu;
const insidePerson = /person\('([^']*)$/;

/**
 * What may stand where somebody writes in a filter: columns, functions, attributes of people within `person('…')`, and
 * values of the data where a column is compared with a text.
 */
export async function completeFilter(
  context: CompletionContext,
  dataset: string,
  known: RuleVocabulary | undefined,
): Promise<CompletionResult | null> {
  const before = context.state.sliceDoc(0, context.pos);
  const attribute = insidePerson.exec(before);
  if (attribute) {
    const options = (known?.attributes ?? []).map((one) => ({
      label: one.name,
      detail: one.label,
      apply: `${one.name}')`,
    }));
    return { from: context.pos - attribute[1]!.length, options };
  }
  const value = afterColumn.exec(before);
  if (value && known?.columns.some((one) => one.name === value[1] && one.type === 'text')) {
    const query = new URLSearchParams({ column: value[1]!, starts: value[2]!.replaceAll("''", "'") });
    const { values } = await call<{ values: string[] }>(
      'GET',
      `/api/v1/datasets/${encodeURIComponent(dataset)}/values?${query}`,
    );
    const options = values.map((label) => ({ label, apply: `${label.replaceAll("'", "''")}'` }));
    return { from: context.pos - value[2]!.length, options, filter: false };
  }
  const word = context.matchBefore(/[\p{L}_][\p{L}\p{N}_.]*/u);
  if (!word && !context.explicit) return null;
  const columns = (known?.columns ?? []).map((one) => ({
    label: one.name,
    detail: `${one.label}, ${one.type}`,
    type: 'property',
  }));
  return { from: word?.from ?? context.pos, options: [...columns, ...words] };
}
