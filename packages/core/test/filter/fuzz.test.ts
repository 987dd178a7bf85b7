import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  checkFilter,
  compilePredicate,
  explainInWords,
  readFilter,
  writeFilter,
  type FilterNode,
} from '../../src/filter/index.ts';
import { isRefusal } from '../../src/refusal/index.ts';
import { casesOf } from '../cases.ts';
import { condition, things, thingScope } from './filterCases.ts';

const pieces = [
  'a',
  '=',
  "'x'",
  '(',
  ')',
  ' AND ',
  ' OR ',
  ' NOT ',
  ' IN ',
  '1.5',
  '"q"',
  ',',
  ' LIKE ',
  ' BETWEEN ',
  ' IS NULL',
  'DATE(',
  "'",
  '"',
  '\\',
  '%',
  '🦆',
  '\ud800',
  '-',
  '*',
  ' ',
  'INTERVAL(',
  "'..'",
  'A_OVERLAPS((',
  'T_DURING(',
  'CASEI(',
  'person(',
  '^',
  ' DIV ',
  '1e308',
  '9'.repeat(40),
  '\0',
  '\u00a0',
  '{',
  '{"op":',
  '[',
  ']',
  ';',
  '--',
  '/*',
  '$1',
  '::text',
  '%s',
  '${',
];

type Change = readonly [kind: 'cut' | 'put' | 'double' | 'swap' | 'capital', at: number, length: number, piece: string];
const change: fc.Arbitrary<Change> = fc.tuple(
  fc.constantFrom('cut' as const, 'put' as const, 'double' as const, 'swap' as const, 'capital' as const),
  fc.nat(),
  fc.nat({ max: 12 }),
  fc.constantFrom(...pieces),
);

/** A good filter after what fingers, clipboards and attackers do to it. */
function mutate(text: string, changes: readonly Change[]): string {
  return changes.reduce((now, [kind, where, length, piece]) => {
    const at = where % (now.length + 1);
    const part = now.slice(at, at + length);
    if (kind === 'cut') return now.slice(0, at) + now.slice(at + length);
    if (kind === 'put') return now.slice(0, at) + piece + now.slice(at);
    if (kind === 'double') return now.slice(0, at) + part + now.slice(at);
    if (kind === 'swap') return now.slice(0, at) + [...part].reverse().join('') + now.slice(at + length);
    return now.slice(0, at) + part.toUpperCase() + now.slice(at + length);
  }, text);
}

const texts = fc.oneof(
  {
    weight: 4,
    arbitrary: fc
      .tuple(condition, fc.array(change, { minLength: 1, maxLength: 4 }))
      .map(([text, all]) => mutate(text, all)),
  },
  fc.array(fc.constantFrom(...pieces), { maxLength: 40 }).map((parts) => parts.join('')),
  fc.string({ unit: 'binary', maxLength: 80 }),
);

function countNodes(node: FilterNode): number {
  if (node.kind === 'operation' || node.kind === 'call')
    return 1 + node.args.reduce((sum, one) => sum + countNodes(one), 0);
  if (node.kind === 'array') return 1 + node.items.reduce((sum, one) => sum + countNodes(one), 0);
  return 1;
}

describe('a filter that was not meant to be one', () => {
  it('gives a tree or a typed refusal with its place, and a row never more than the condition says', (t) => {
    const counts = { trees: 0, checked: 0, refused: 0 };
    const cases = casesOf(12_000, 90_210);
    const row = things.columns.map(() => null);
    fc.assert(
      fc.property(texts, (text) => {
        try {
          const tree = readFilter(text);
          counts.trees++;
          assert.ok(countNodes(tree) <= 2 * text.length + 1, 'a tree larger than its text');
          assert.equal(writeFilter(readFilter(writeFilter(tree))), writeFilter(tree));
          const typed = checkFilter(tree, thingScope(text));
          assert.equal(typed.type, 'boolean');
          assert.ok(explainInWords(typed).length > 0);
          assert.doesNotMatch(explainInWords(typed), /undefined|\[object|NaN/);
          assert.equal(
            typeof compilePredicate(typed, (name) => things.columns.findIndex((one) => one.name === name))(row),
            'boolean',
          );
          counts.checked++;
        } catch (error) {
          assert.ok(isRefusal(error), `${JSON.stringify(text)}: ${(error as Error).stack}`);
          assert.match(error.code, /^(FILTER_|VALUE_)/);
          const { position, pointer, word } = error.details;
          assert.ok(
            [position, pointer, word].some((one) => one !== undefined),
            JSON.stringify(text),
          );
          counts.refused++;
        }
      }),
      cases,
    );
    t.diagnostic(
      `${cases.numRuns} texts: ${counts.trees} trees, ${counts.checked} of them checked, ${counts.refused} refused, seed ${cases.seed}`,
    );
    assert.ok(counts.checked > cases.numRuns / 50 && counts.refused > cases.numRuns / 5);
  });
});
