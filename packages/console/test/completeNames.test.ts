import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { CompletionContext } from '@codemirror/autocomplete';
import { json } from '@codemirror/lang-json';
import { EditorState } from '@codemirror/state';
import { completeNames, datasetsIn, namesIn } from '../src/report/completeNames.ts';

const names = namesIn(
  {
    datasets: { sailings: {} },
    measures: { on_time_share: { label: 'Departed on time' } },
    parameters: [{ name: 'month', label: 'Month' }, {}],
    pages: [{ name: 'overview', title: 'Overview', figures: [{ name: 'causes', title: 'Causes' }, 'unfinished'] }],
  },
  [{ name: 'sailings', title: 'Sailings' }],
  [
    { name: 'route_name', type: 'text', label: 'Route', key: 'route' },
    { name: 'delay', type: 'number' },
  ],
);

/** `|` is where the writer is. */
function complete(text: string, isExplicit = false) {
  const state = EditorState.create({ doc: text.replace('|', ''), extensions: json() });
  const found = completeNames(new CompletionContext(state, text.indexOf('|'), isExplicit), names);
  return found && { from: found.from, labels: found.options.map((one) => one.label) };
}

describe('what a definition may name where somebody writes one', () => {
  it('is what the field takes', () => {
    for (const [field, expected] of [
      ['split', ['route_name', 'delay']],
      ['measure', ['on_time_share']],
      ['by', ['route_name', 'delay', 'on_time_share']],
      ['dataset', ['sailings']],
      ['parameter', ['month']],
      ['page', ['overview']],
      ['key', ['route']],
    ] as const)
      assert.deepEqual(complete(`{ "${field}": "|" }`)?.labels, expected, field);
  });

  it('is offered within lists, for the whole text of its place', () => {
    assert.deepEqual(complete('{ "columns": ["delay", "ro|"] }'), { from: 24, labels: ['route_name', 'delay'] });
    assert.deepEqual(complete('{ "narrow": ["|"] }')?.labels, ['causes']);
  });

  it('is a word of an expression', () => {
    assert.deepEqual(complete('{ "expression": "avg(de|)" }'), { from: 21, labels: ['route_name', 'delay'] });
    assert.equal(complete('{ "expression": "avg(|)" }'), null);
    assert.deepEqual(complete('{ "expression": "avg(|)" }', true)?.from, 21);
  });

  it('is nothing where words, names of fields or numbers stand', () => {
    for (const text of ['{ "title": "ro|" }', '{ "by|": "x" }', '{ "limit": 1| }', '|', '["ro|"]'])
      assert.equal(complete(text, true), null, text);
  });

  it('comes of whatever is written so far', () => {
    for (const written of [undefined, null, 3, [], { datasets: null, pages: {}, measures: { a: null } }]) {
      assert.doesNotThrow(() => namesIn(written, [], []));
      assert.doesNotThrow(() => datasetsIn(written));
    }
  });
});
