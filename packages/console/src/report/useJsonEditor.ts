import { autocompletion, closeBrackets, completionKeymap, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { json, jsonLanguage, jsonParseLinter } from '@codemirror/lang-json';
import { bracketMatching, foldGutter, HighlightStyle, indentOnInput, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, linter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, hoverTooltip, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import {
  getJSONSchema,
  jsonCompletion,
  jsonPointerForPosition,
  jsonSchemaHover,
  stateExtensions,
  updateSchema,
} from 'codemirror-json-schema';
import { onBeforeUnmount, onMounted, watch, type Ref } from 'vue';
import type { ProblemDocument } from '@underbell/core/refusal';
import { completeNames, type DefinitionNames } from './completeNames.ts';

/** The console's own colours, by day and by night. */
const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--ink)', fontWeight: '600' },
  { tag: tags.string, color: 'var(--sea)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--brass)' },
]);

/** Where a JSON pointer leads in a text: the offsets of what stands there, or of the whole where it leads nowhere. */
function rangeOf(state: EditorState, pointer: string): { from: number; to: number } {
  let found = { from: 0, to: Math.min(1, state.doc.length) };
  let length = 0;
  // The editor tells the pointer of a place: the longest one that the wanted one begins with is the nearest.
  for (let line = 1; line <= state.doc.lines; line++) {
    const { from, to, text } = state.doc.line(line);
    const at = from + (/\S/.exec(text)?.index ?? 0);
    const here = jsonPointerForPosition(state, Math.min(at + 1, to), 1, 'json4');
    if ((pointer === here || pointer.startsWith(`${here}/`)) && here.length > length) {
      found = { from: at, to };
      length = here.length;
    }
  }
  return found;
}

function diagnosticsOf(state: EditorState, problem: ProblemDocument | undefined): Diagnostic[] {
  if (!problem) return [];
  const all = problem.problems?.length
    ? problem.problems.map((one) => ({ at: one.at, message: [one.message, one.hint].filter(Boolean).join(' – ') }))
    : [{ at: problem.pointer ?? '', message: [problem.detail, problem.hint].filter(Boolean).join(' – ') }];
  return all.map(({ at, message }) => ({ ...rangeOf(state, at), severity: 'error', message }));
}

/**
 * An editor for definitions, with completion and hovers of their JSON Schema, completion of the names that they may
 * speak of, and mistakes where they stand.
 *
 * @param place - the element that it fills
 * @param text - kept in step both ways
 */
export function useJsonEditor(
  place: Ref<HTMLElement | undefined>,
  text: Ref<string>,
  schema: () => object | undefined,
  problem: () => ProblemDocument | undefined,
  names: () => DefinitionNames,
): void {
  let view: EditorView | undefined;
  onMounted(() => {
    view = new EditorView({
      parent: place.value!,
      state: EditorState.create({
        doc: text.value,
        extensions: [
          lineNumbers(),
          foldGutter(),
          lintGutter(),
          history(),
          closeBrackets(),
          bracketMatching(),
          indentOnInput(),
          syntaxHighlighting(colours),
          json(),
          linter(jsonParseLinter(), { delay: 300 }),
          jsonLanguage.data.of({ autocomplete: jsonCompletion() }),
          jsonLanguage.data.of({
            autocomplete: (context: CompletionContext) => completeNames(context, names()),
          }),
          hoverTooltip(jsonSchemaHover()),
          stateExtensions(schema() as never),
          autocompletion({ icons: false }),
          keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
          EditorView.contentAttributes.of({ 'aria-label': 'Definition, in JSON' }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) text.value = update.state.doc.toString();
          }),
        ],
      }),
    });
  });
  // What scrolls can be reached by keyboard.
  onMounted(() => view!.scrollDOM.setAttribute('tabindex', '0'));
  watch(schema, (now) => {
    if (view && now && getJSONSchema(view.state) !== now) updateSchema(view, now as never);
  });
  watch(text, (now) => {
    if (view && view.state.doc.toString() !== now)
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: now } });
  });
  watch(problem, (now) => {
    if (view) view.dispatch(setDiagnostics(view.state, diagnosticsOf(view.state, now)));
  });
  onBeforeUnmount(() => view?.destroy());
}
