import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  checkFilter,
  parseFilter,
  readFilter,
  readFilterJson,
  toFilterJson,
  writeFilter,
  type FilterNode,
} from '../../src/filter/index.ts';
import { sailings } from '../builders.ts';
import { casesOf } from '../cases.ts';
import { refused } from '../refused.ts';
import { condition, thingScope } from './filterCases.ts';

/** A tree without places and without how a name was written. */
function bare(node: FilterNode): unknown {
  return JSON.parse(JSON.stringify(node, (key, value) => (key === 'span' || key === 'quoted' ? undefined : value)));
}

describe('CQL2 text and JSON', () => {
  it('say each other, and both mean the same checked filter', (t) => {
    let inJson = 0;
    const cases = casesOf(3_000, 4_102);
    fc.assert(
      fc.property(condition, (text) => {
        const tree = parseFilter(text);
        const again = writeFilter(tree);
        assert.deepEqual(bare(parseFilter(again)), bare(tree), again);
        assert.equal(writeFilter(parseFilter(again)), again);
        assert.deepEqual(checkFilter(parseFilter(again), thingScope(again)), checkFilter(tree, thingScope(text)));
        // Numbers of more digits than JSON carries stay text.
        if (/\d{16}/.test(text) || /1e100|e-20/.test(text)) return;
        const json = JSON.parse(JSON.stringify(toFilterJson(tree)));
        assert.deepEqual(bare(readFilterJson(json)), bare(tree), JSON.stringify(json));
        assert.equal(writeFilter(readFilter(JSON.stringify(json))), again);
        inJson++;
      }),
      cases,
    );
    t.diagnostic(`${cases.numRuns} filters round, ${inJson} of them through JSON, seed ${cases.seed}`);
    assert.ok(inJson > cases.numRuns / 3);
  });

  it('follow the standard’s JSON', () => {
    for (const [text, json] of [
      ["quay_id = 'Q017'", { op: '=', args: [{ property: 'quay_id' }, 'Q017'] }],
      ["route IN ('a', 'b')", { op: 'in', args: [{ property: 'route' }, ['a', 'b']] }],
      ['passengers BETWEEN 1 AND 5', { op: 'between', args: [{ property: 'passengers' }, 1, 5] }],
      ['NOT route IS NULL', { op: 'not', args: [{ op: 'isNull', args: [{ property: 'route' }] }] }],
      [
        "CASEI(route) LIKE CASEI('north%')",
        {
          op: 'like',
          args: [
            { op: 'casei', args: [{ property: 'route' }] },
            { op: 'casei', args: ['north%'] },
          ],
        },
      ],
      ["sailed_on >= DATE('2026-10-01')", { op: '>=', args: [{ property: 'sailed_on' }, { date: '2026-10-01' }] }],
      [
        "T_DURING(sailed_on, INTERVAL('2026-10-01', '..'))",
        { op: 't_during', args: [{ property: 'sailed_on' }, { interval: ['2026-10-01', '..'] }] },
      ],
      ["quay_id = person('quay')", { op: '=', args: [{ property: 'quay_id' }, { op: 'person', args: ['quay'] }] }],
      [
        "A_OVERLAPS((quay_id, route), ('a'))",
        { op: 'a_overlaps', args: [[{ property: 'quay_id' }, { property: 'route' }], ['a']] },
      ],
      [
        'passengers DIV 2 + 1 > 3',
        { op: '>', args: [{ op: '+', args: [{ op: 'div', args: [{ property: 'passengers' }, 2] }, 1] }, 3] },
      ],
    ] as const) {
      assert.deepEqual(JSON.parse(JSON.stringify(toFilterJson(parseFilter(text)))), json);
      assert.equal(writeFilter(readFilterJson(json)), text);
    }
  });

  it('keeps parentheses only where they are needed', () => {
    for (const [text, short] of [
      ['((a = 1))', 'a = 1'],
      ['(a = 1 AND b = 2) OR c = 3', 'a = 1 AND b = 2 OR c = 3'],
      ['a = 1 AND (b = 2 OR c = 3)', 'a = 1 AND (b = 2 OR c = 3)'],
      ['a - (b - c) > (1)', 'a - (b - c) > 1'],
      ['(a * b) + c = 0', 'a * b + c = 0'],
      ['NOT (a = 1)', 'NOT a = 1'],
      ['"and" = "a b"', '"and" = "a b"'],
    ] as const)
      assert.equal(writeFilter(parseFilter(text)), short);
  });

  it('points into wrong JSON', () => {
    for (const [value, code, pointer] of [
      [{ op: '=', args: [{ property: 'a' }] }, 'FILTER_SYNTAX', ''],
      [{ op: 'and', args: [true, { op: 'nOt', args: [true] }] }, 'FILTER_SYNTAX', '/args/1'],
      [{ op: 's_intersects', args: [{ property: 'a' }, { bbox: [1, 2, 3, 4] }] }, 'FILTER_NOT_SUPPORTED', ''],
      [{ op: '=', args: [{ property: 'a', extra: 1 }, 1] }, 'FILTER_SYNTAX', '/args/0'],
      [{ op: '=', args: [{ property: 'a' }, 9007199254740993] }, 'FILTER_SYNTAX', '/args/1'],
      [{ op: '=', args: [{ property: 'a' }, null] }, 'FILTER_SYNTAX', '/args/1'],
      [{ op: 'in', args: [{ property: 'a' }, []] }, 'FILTER_SYNTAX', '/args/1'],
      [{ op: '=', args: [{ property: 'a' }, ['b']] }, 'FILTER_SYNTAX', '/args/1'],
      [[], 'FILTER_SYNTAX', ''],
      [null, 'FILTER_SYNTAX', ''],
      [{}, 'FILTER_SYNTAX', '/op'],
      [{ op: '=', args: [{ property: 'a\0' }, 1] }, 'FILTER_SYNTAX', '/args/0/property'],
    ] as const)
      assert.equal(refused(code, () => readFilter(value)).details.pointer, pointer, JSON.stringify(value));
  });

  it('points into JSON also where a name or type is wrong', () => {
    const check = (value: unknown) => checkFilter(readFilter(value), { dataset: sailings, text: '' });
    const unknown = refused('FILTER_UNKNOWN_COLUMN', () =>
      check({ op: 'not', args: [{ op: '=', args: [{ property: 'Quay_ID' }, 'a'] }] }),
    );
    assert.equal(unknown.details.pointer, '/args/0/args/0');
    assert.deepEqual(unknown.details.nearest, ['quay_id']);
    const wrong = refused('FILTER_WRONG_TYPE', () => check({ op: '>', args: [{ property: 'passengers' }, '5'] }));
    assert.equal(wrong.details.pointer, '/args/1');
    assert.match(wrong.message, /passengers is a number, but '5' is text/);
  });

  it('holds the same limits of depth and length in both forms', () => {
    const deep = (levels: number): unknown => (levels === 0 ? true : { op: 'not', args: [deep(levels - 1)] });
    assert.equal(readFilterJson(deep(64)).kind, 'operation');
    refused('FILTER_TOO_DEEP', () => readFilterJson(deep(65)));
    refused('FILTER_TOO_DEEP', () => readFilterJson(deep(5_000)));
    refused('FILTER_TOO_LONG', () => readFilterJson({ op: '=', args: [{ property: 'a' }, 'x'.repeat(20_000)] }));
    refused('FILTER_SYNTAX', () => readFilter('{"op": "='));
  });
});
