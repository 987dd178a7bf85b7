import { autocompletion, closeBrackets, type Completion, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import { call } from '../platform/api.ts';

/** What a rule of a dataset may name. */
export interface Vocabulary {
  readonly columns: readonly { readonly name: string; readonly type: string; readonly label: string }[];
  readonly attributes: readonly { readonly name: string; readonly label: string; readonly type: string }[];
  readonly groups: readonly string[];
}

const words: readonly Completion[] = [
  ...['AND', 'OR', 'NOT', 'IN', 'BETWEEN', 'LIKE', 'IS NULL', 'TRUE', 'FALSE'].map((label) => ({
    label,
    type: 'keyword',
  })),
  ...[
    ["person('…')", "person('", 'an attribute of the viewer'],
    ['today()', 'today()', 'the day it is'],
    ['now()', 'now()', 'the instant it is'],
    ["DATE('…')", "DATE('", 'a day'],
    ["TIMESTAMP('…')", "TIMESTAMP('", 'an instant'],
    ['CASEI(…)', 'CASEI(', 'whatever its capitals'],
    ['ACCENTI(…)', 'ACCENTI(', 'whatever its accents'],
    ['T_DURING(…)', 'T_DURING(', 'within an interval'],
    ['A_OVERLAPS(…)', 'A_OVERLAPS((', 'lists that share a value'],
  ].map(([label, apply, detail]) => ({ label: label!, apply: apply!, detail: detail!, type: 'function' })),
];

/** The column that a text being written is compared with, and what of the text stands there. */
const afterColumn = /([\p{L}_][\p{L}\p{N}_.]*)\s*(?:=|<>|NOT\s+IN\s*\([^)]*|IN\s*\([^)]*)\s*'([^']*)$/iu;
const insidePerson = /person\('([^']*)$/;

/**
 * An editor for filters, with completion of columns, functions, attributes and values.
 *
 * @param place - the element that it fills
 * @param text - kept in step both ways
 * @param problem - marked where it stands
 */
export function useFilterEditor(
  place: Ref<HTMLElement | undefined>,
  text: Ref<string>,
  dataset: () => string,
  vocabulary: () => Vocabulary | undefined,
  problem: () => ProblemDocument | undefined,
): void {
  let view: EditorView | undefined;

  async function complete(context: CompletionContext) {
    const before = context.state.sliceDoc(0, context.pos);
    const known = vocabulary();
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
      const query = new URLSearchParams({ column: value[1]!, starts: value[2]! });
      const { values } = await call<{ values: string[] }>(
        'GET',
        `/api/v1/datasets/${encodeURIComponent(dataset())}/values?${query}`,
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

  onMounted(() => {
    view = new EditorView({
      parent: place.value!,
      state: EditorState.create({
        doc: text.value,
        extensions: [
          history(),
          closeBrackets(),
          keymap.of([...defaultKeymap, ...historyKeymap]),
          autocompletion({ override: [complete], icons: false }),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': 'Condition, in CQL2' }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) text.value = update.state.doc.toString();
          }),
        ],
      }),
    });
  });
  watch(text, (now) => {
    if (view && view.state.doc.toString() !== now)
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: now } });
  });
  watch(problem, (now) => {
    if (!view) return;
    const from = Math.min(now?.position?.offset ?? -1, view.state.doc.length);
    const to = Math.min(from + Math.max(1, now?.word?.length ?? 1), view.state.doc.length);
    const marks = now?.position ? [{ from, to, severity: 'error' as const, message: now.hint ?? now.detail }] : [];
    view.dispatch(setDiagnostics(view.state, marks));
  });
  onBeforeUnmount(() => view?.destroy());
}
