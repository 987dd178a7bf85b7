import type { Completion, CompletionContext, CompletionResult } from '@codemirror/autocomplete';
import { ensureSyntaxTree } from '@codemirror/language';
import type { EditorState } from '@codemirror/state';
import type { DatasetColumn } from '@underbell/core/dataset';

type Kind = 'column' | 'measure' | 'dataset' | 'parameter' | 'page' | 'figure' | 'key';
export type DefinitionNames = Readonly<Record<Kind, readonly Completion[]>>;

/** What the names are that a field of a definition takes. */
const kindsOf: Readonly<Record<string, readonly Kind[]>> = {
  ...Object.fromEntries(
    ['split', 'each', 'across', 'along', 'column', 'shown', 'drill', 'rows', 'subtotals', 'columns'].map((field) => [
      field,
      ['column'],
    ]),
  ),
  ...Object.fromEntries(
    ['measure', 'measures', 'beside', 'x', 'y', 'size', 'target'].map((field) => [field, ['measure']]),
  ),
  by: ['column', 'measure'],
  dataset: ['dataset'],
  parameter: ['parameter'],
  within: ['parameter'],
  page: ['page'],
  narrow: ['figure'],
  key: ['key'],
};
/** Fields whose text speaks of columns among other words. */
const spoken: ReadonlySet<string> = new Set(['expression', 'where']);

const named = (label: string, detail: string): Completion => ({ label, detail, type: 'variable' });

interface Written {
  readonly datasets?: Readonly<Record<string, unknown>>;
  readonly measures?: Readonly<Record<string, { readonly label?: string }>>;
  readonly parameters?: readonly { readonly name?: string; readonly label?: string }[];
  readonly pages?: readonly {
    readonly name?: string;
    readonly title?: string;
    readonly figures?: readonly { readonly name?: string; readonly title?: string }[];
  }[];
}
const each = <T>(list: readonly T[] | undefined) => (Array.isArray(list) ? (list as readonly T[]) : []);

/**
 * The names that a definition may speak of.
 *
 * @param written - as far as it is written: nothing about it is sure
 * @param datasets - that there are
 * @param columns - of its datasets
 */
export function namesIn(
  written: unknown,
  datasets: readonly { readonly name: string; readonly title: string }[],
  columns: readonly DatasetColumn[],
): DefinitionNames {
  const { measures, parameters, pages } = (written ?? {}) as Written;
  const things = (list: readonly { readonly name?: string; readonly title?: string }[]) =>
    list.flatMap((one) => (typeof one.name === 'string' ? [named(one.name, one.title ?? '')] : []));
  const keys = new Map(columns.flatMap((one) => (one.key === undefined ? [] : [[one.key, one.label ?? one.name]])));
  return {
    column: columns.map((one) => named(one.name, [one.label, one.type].filter(Boolean).join(', '))),
    measure: Object.entries(measures ?? {}).map(([name, one]) => named(name, one?.label ?? '')),
    dataset: datasets.map((one) => named(one.name, one.title)),
    parameter: each(parameters).flatMap((one) => (one.name === undefined ? [] : [named(one.name, one.label ?? '')])),
    page: things(each(pages)),
    figure: things(each(pages).flatMap((one) => each(one.figures))),
    key: [...keys].map(([key, label]) => named(key, label)),
  };
}

/** The datasets that a definition names. */
export const datasetsIn = (written: unknown): string[] => {
  const { datasets } = (written ?? {}) as Written;
  return datasets !== null && typeof datasets === 'object' ? Object.keys(datasets) : [];
};

/** Definitions are read in a few milliseconds, unless the machine is at its limit. */
const readMs = 2_000;

/** The field whose text stands at a place: its name, and from where to where the text is. */
function fieldAt(state: EditorState, pos: number): { field: string; from: number; to: number } | undefined {
  const text = ensureSyntaxTree(state, state.doc.lineAt(pos).to, readMs)?.resolveInner(pos, -1);
  if (text?.name !== 'String' || pos <= text.from || pos >= text.to) return undefined;
  const property = text.parent?.name === 'Array' ? text.parent.parent : text.parent;
  const name = property?.name === 'Property' ? property.getChild('PropertyName') : null;
  if (!name) return undefined;
  const field = state.sliceDoc(name.from + 1, name.to - 1);
  return { field, from: text.from + 1, to: text.to - 1 };
}

/** Columns, measures, keys and other names where a definition takes one. */
export function completeNames(context: CompletionContext, names: DefinitionNames): CompletionResult | null {
  const found = fieldAt(context.state, context.pos);
  if (!found) return null;
  if (spoken.has(found.field)) {
    const word = context.matchBefore(/[\p{L}_][\p{L}\p{N}_.]*/u);
    return word || context.explicit ? { from: word?.from ?? context.pos, options: [...names.column] } : null;
  }
  const options = (kindsOf[found.field] ?? []).flatMap((kind) => names[kind]);
  return options.length > 0 ? { from: found.from, to: found.to, options, validFor: /^[^"]*$/ } : null;
}
