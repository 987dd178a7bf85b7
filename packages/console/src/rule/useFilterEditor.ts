import type { RuleVocabulary } from '@underbell/core/access';
import { autocompletion, closeBrackets } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import { completeFilter } from './completeFilter.ts';

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
  vocabulary: () => RuleVocabulary | undefined,
  problem: () => ProblemDocument | undefined,
): void {
  let view: EditorView | undefined;

  onMounted(() => {
    view = new EditorView({
      parent: place.value!,
      state: EditorState.create({
        doc: text.value,
        extensions: [
          history(),
          closeBrackets(),
          keymap.of([...defaultKeymap, ...historyKeymap]),
          autocompletion({
            override: [(context) => completeFilter(context, dataset(), vocabulary())],
            icons: false,
          }),
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
