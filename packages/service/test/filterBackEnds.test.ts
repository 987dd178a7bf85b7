import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import fc from 'fast-check';
import type pg from 'pg';
import {
  checkFilter,
  compilePredicate,
  compileSql,
  parseFilter,
  SettingBinder,
  StatementBinder,
  type Cell,
} from '@underbell/core/filter';
import type { DatasetShape } from '@underbell/core/dataset';
import { createTableSql, dataTable } from '../src/dataset/table.sql.ts';
import { House } from './house.ts';

const shape: DatasetShape = {
  name: 'things',
  columns: [
    { name: 't', type: 'text' },
    { name: 'u', type: 'text' },
    { name: 'n', type: 'number' },
    { name: 'm', type: 'integer' },
    { name: 'd', type: 'date' },
    { name: 'i', type: 'instant' },
    { name: 'b', type: 'boolean' },
  ],
};
const texts = ['', 'a', 'A', 'á', 'ab', 'Z', '%', '_', '\\', "it's", 'ﬀ', '🦆', '\uffee', 'two\nlines', ' '];
const numbers = [0, -1, 1, 2.5, 1e15, -0.125, 3];
const days = ['2026-10-01', '2024-02-29', '0001-01-01', '9999-12-31'];
const instants = ['2026-10-01T00:00:00Z', '2026-10-01T02:00:00.250Z', '1970-01-01T00:00:00Z'];
const quoted = (text: string) => `'${text.replaceAll("'", "''")}'`;

const rows: Cell[][] = Array.from({ length: 60 }, (_, i) => [
  i % 7 === 0 ? null : texts[i % texts.length]!,
  i % 5 === 0 ? null : texts[(i * 4) % texts.length]!,
  i % 6 === 0 ? null : numbers[i % numbers.length]!,
  i % 4 === 0 ? null : (i % 3) - 1,
  i % 8 === 0 ? null : days[i % days.length]!,
  i % 9 === 0 ? null : Date.parse(instants[i % instants.length]!),
  i % 3 === 0 ? null : i % 2 === 0,
]);

const literal: Record<string, fc.Arbitrary<string>> = {
  t: fc.constantFrom(...texts).map(quoted),
  n: fc.constantFrom(...numbers).map(String),
  d: fc.constantFrom(...days).map((day) => `DATE('${day}')`),
  i: fc.constantFrom(...instants).map((instant) => `TIMESTAMP('${instant}')`),
  b: fc.constantFrom('TRUE', 'FALSE'),
};
const column: Record<string, fc.Arbitrary<string>> = {
  t: fc.constantFrom('t', 'u'),
  n: fc.constantFrom('n', 'm', 'n + m', 'm * 2 - n', 'n / m', '-m'),
  d: fc.constant('d'),
  i: fc.constant('i'),
  b: fc.constant('b'),
};
const kind = fc.constantFrom('t', 'n', 'd', 'i');
const order = fc.constantFrom('=', '<>', '<', '<=', '>', '>=');
const pattern = fc
  .array(fc.constantFrom('a', 'b', 'á', '%', '_', '\\\\', '\\%', '🦆'), { maxLength: 4 })
  .map((parts) => quoted(parts.join('')));

const comparison = kind.chain((k) =>
  fc.tuple(column[k]!, order, fc.oneof(literal[k]!, column[k]!)).map((parts) => parts.join(' ')),
);
const simple = fc.oneof(
  comparison,
  kind.chain((k) =>
    fc
      .tuple(column[k]!, fc.boolean(), fc.array(literal[k]!, { minLength: 1, maxLength: 11 }))
      .map(([c, not, all]) => `${c} ${not ? 'NOT ' : ''}IN (${all.join(', ')})`),
  ),
  kind.chain((k) =>
    fc
      .tuple(column[k]!, fc.boolean(), literal[k]!, literal[k]!)
      .map(([c, not, low, high]) => `${c} ${not ? 'NOT ' : ''}BETWEEN ${low} AND ${high}`),
  ),
  fc.tuple(column['t']!, fc.boolean(), pattern).map(([c, not, p]) => `${c} ${not ? 'NOT ' : ''}LIKE ${p}`),
  fc
    .tuple(fc.constantFrom('t', 'n', 'd', 'i', 'b', 'n / m'), fc.boolean())
    .map(([c, not]) => `${c} IS ${not ? 'NOT ' : ''}NULL`),
  fc.constantFrom('b', 'b = TRUE', 'b <> FALSE', 'TRUE', 'FALSE', 'm = m'),
);
const condition = fc.letrec<{ any: string }>((tie) => ({
  any: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    simple,
    fc.tuple(tie('any'), fc.constantFrom('AND', 'OR'), tie('any')).map(([a, op, b]) => `(${a} ${op} ${b})`),
    tie('any').map((a) => `NOT (${a})`),
  ),
})).any;

describe('the two back ends of a filter', () => {
  let house: House;
  let client: pg.PoolClient;
  before(async () => {
    house = await House.open();
    client = await house.app.lanes.readers.connect();
    await client.query(createTableSql('things', [{ name: 'row', type: 'integer' }, ...shape.columns]));
    for (const [i, row] of rows.entries()) {
      const cells = row.map((cell, c) =>
        shape.columns[c]!.type === 'instant' && cell !== null ? new Date(cell as number).toISOString() : cell,
      );
      await client.query(`INSERT INTO ${dataTable('things')} VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`, [i, ...cells]);
    }
  });
  after(async () => {
    client.release();
    await house.close();
  });

  it('keep the same rows, by parameters and by settings', async (t) => {
    const runs = Number(process.argv.find((one) => one.startsWith('--cases='))?.slice(8) ?? 700);
    let kept = 0;
    await fc.assert(
      fc.asyncProperty(condition, async (text) => {
        const typed = checkFilter(parseFilter(text), { dataset: shape, text });
        const test = compilePredicate(typed, (name) => shape.columns.findIndex((one) => one.name === name));
        const expected = rows.flatMap((row, i) => (test(row) ? [i] : []));
        const binder = new StatementBinder();
        const sql = (where: string) => `SELECT row::int FROM ${dataTable('things')} WHERE ${where} ORDER BY row`;
        const found = await client.query<[number]>({
          text: sql(compileSql(typed, binder)),
          values: [...binder.values],
          rowMode: 'array',
        });
        assert.deepEqual(found.rows.flat(), expected, text);
        const settings = new SettingBinder();
        const where = compileSql(typed, settings);
        for (const { name, value } of settings.settings)
          await client.query('SELECT set_config($1, $2, false)', [name, value]);
        const again = await client.query<[number]>({ text: sql(where), rowMode: 'array' });
        assert.deepEqual(again.rows.flat(), expected, text);
        kept += expected.length;
      }),
      { numRuns: runs, seed: 20_260_803 },
    );
    t.diagnostic(`${runs} filters over ${rows.length} rows, ${kept} rows kept, seed 20260803`);
    assert.ok(kept > 0);
  });
});
