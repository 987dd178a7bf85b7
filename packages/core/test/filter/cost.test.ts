import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import {
  checkFilter,
  checkReaderFilter,
  filterCost,
  isSafeCondition,
  maxFilterCost,
  parseFilter,
} from '../../src/filter/index.ts';
import { sailings } from '../builders.ts';
import { refused } from '../refused.ts';

const typed = (text: string) => checkFilter(parseFilter(text), { dataset: sailings, text });

describe('what a filter costs', () => {
  it('grows with what is computed for each row, and not with what is computed once', () => {
    const costs = [
      "route = 'x'",
      "route LIKE '%x%'",
      "CASEI(route) = 'x'",
      "ACCENTI(route) = 'x'",
      "ACCENTI(CASEI(route)) = 'x'",
    ].map((text) => filterCost(typed(text)));
    assert.deepEqual(
      costs,
      costs.toSorted((a, b) => a - b),
    );
    assert.equal(filterCost(typed("CASEI('A') = CASEI('B')")), 0);
    assert.equal(filterCost(typed("CASEI(route) = CASEI('x')")), filterCost(typed("CASEI(route) = 'x'")));
  });

  it('is bounded for readers, by what it costs and not by how long it is', () => {
    const many = (term: string, count: number) => Array.from({ length: count }, () => term).join(' OR ');
    const read = (text: string) => checkReaderFilter(parseFilter(text), { dataset: sailings, text });
    assert.ok(many("ACCENTI(CASEI(route)) = 'x'", 200).length < 16_384);
    refused('FILTER_TOO_COSTLY', () => read(many("ACCENTI(CASEI(route)) = 'x'", 200)));
    for (const fine of [
      many("ACCENTI(CASEI(route)) LIKE '%x%'", 5),
      many("route = 'x'", maxFilterCost),
      `route IN (${Array.from({ length: 1500 }, (_, i) => `'r${i}'`).join(', ')})`,
    ])
      assert.ok(read(fine), fine.slice(0, 40));
  });
});

describe('what can fail on no row', () => {
  it('are comparisons of columns with values, and what joins them', () => {
    for (const text of [
      "route = 'x'",
      'passengers BETWEEN 1 AND 2',
      "route LIKE 'a%'",
      "route IN ('a', 'b') AND NOT (passengers > 3 OR cancelled)",
      'route IS NULL',
      "sailed_on > DATE('2026-01-01')",
      'passengers > fares',
    ])
      assert.ok(isSafeCondition(typed(text)), text);
    for (const text of [
      'passengers / 1 > 0',
      'fares * 2 > 1',
      'fares + passengers = 3',
      'passengers % 2 = 0',
      "CASEI(route) = 'x'",
      "ACCENTI(route) = 'x'",
      "route LIKE '%a%b%c%'",
      "route = 'x' AND fares * 1e300 > 1",
      'NOT (fares / 0 > 1)',
    ])
      assert.ok(!isSafeCondition(typed(text)), text);
  });
});
