import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import {
  checkFilter,
  compareText,
  compilePredicate,
  compileSql,
  parseFilter,
  SettingBinder,
  StatementBinder,
  type Cell,
} from '../../src/filter/index.ts';
import { sailings } from '../builders.ts';

const index = (name: string) => sailings.columns.findIndex((one) => one.name === name);
const typed = (text: string) => checkFilter(parseFilter(text), { dataset: sailings, text });
function holds(text: string, cells: Record<string, Cell>): boolean {
  const row = sailings.columns.map((column) => cells[column.name] ?? null);
  return compilePredicate(typed(text), index)(row);
}

describe('compilePredicate', () => {
  it('keeps a row out where a value is missing, also under NOT', () => {
    assert.equal(holds("route = 'a'", {}), false);
    assert.equal(holds("NOT route = 'a'", {}), false);
    assert.equal(holds("route <> 'a'", {}), false);
    assert.equal(holds("NOT route IN ('a', 'b')", {}), false);
    assert.equal(holds('passengers BETWEEN 1 AND 2', {}), false);
    assert.equal(holds('route IS NULL', {}), true);
    assert.equal(holds('route IS NULL OR passengers > 3', { passengers: 1 }), true);
    assert.equal(holds("NOT (route = 'a' AND passengers = 2)", { passengers: 1 }), true);
  });

  it('matches patterns as SQL does', () => {
    for (const [pattern, text, expected] of [
      ['North%', 'North Head', true],
      ['north%', 'North Head', false],
      ['_orth', 'North', true],
      ['%Head', 'North Head', true],
      ['%o%e%', 'North Head', true],
      ['100\\%', '100%', true],
      ['100\\%', '1000', false],
      ['_', '🦆', true],
      ['', '', true],
      ['%', '', true],
      ['a%a', 'a', false],
    ] as const)
      assert.equal(holds(`route LIKE '${pattern}'`, { route: text }), expected, `${text} LIKE ${pattern}`);
  });

  it('divides by zero to nothing', () => {
    assert.equal(holds('fares / passengers > 0', { fares: 3, passengers: 0 }), false);
    assert.equal(holds('NOT fares / passengers > 0', { fares: 3, passengers: 0 }), false);
  });
});

describe('compareText', () => {
  it('orders by code point, not by UTF-16 unit', () => {
    assert.ok(compareText('\uffee', '🦆') < 0);
    assert.ok(compareText('a', 'B') > 0);
    assert.equal(compareText('é', 'é'), 0);
    assert.ok(compareText('ab', 'a') > 0);
  });
});

describe('compileSql', () => {
  it('binds every value and quotes every name', () => {
    const binder = new StatementBinder();
    const sql = compileSql(typed("quay_id = 'x''); DROP TABLE y; --' AND passengers > 3"), binder);
    assert.equal(sql, '(("quay_id" = $1::text) AND ("passengers" > $2::bigint))');
    assert.deepEqual(binder.values, ["x'); DROP TABLE y; --", '3']);
  });

  it('binds through settings where a statement takes no parameters', () => {
    const binder = new SettingBinder();
    const list = Array.from({ length: 9 }, (_, i) => `'a"${i}\\'`).join(', ');
    assert.match(
      compileSql(typed(`quay_id IN (${list})`), binder),
      /IN \(SELECT unnest\(\(SELECT current_setting\('underbell\.v1'\)\)::text\[\]\)\)/,
    );
    assert.equal(binder.settings[0]!.value.startsWith('{"a\\"0\\\\","a\\"1'), true);
  });
});
