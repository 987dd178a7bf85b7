import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import fc from 'fast-check';
import type pg from 'pg';
import { readCell } from '@underbell/core/dataset';
import {
  checkFilter,
  compilePredicate,
  compileSql,
  parseFilter,
  SettingBinder,
  StatementBinder,
  type Cell,
} from '@underbell/core/filter';
import { createTableSql, dataTable } from '../../src/dataset/table.sql.ts';
import {
  condition,
  days,
  instants,
  numbers,
  specialDays,
  specialNumbers,
  texts,
  things,
  thingScope,
} from '../../../core/test/filter/filterCases.ts';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { House } from '../house.ts';

const { numRuns, seed } = casesOf(4_000, 20_260_803);

/** A table of cells as PostgreSQL writes them; every value meets missing ones and values of the other columns. */
function cellTexts(random: () => number): (string | null)[] {
  const pick = (all: readonly string[]) => (random() < 0.2 ? null : all[Math.floor(random() * all.length)]!);
  return [
    pick(texts),
    pick(texts),
    pick([...numbers, ...specialNumbers]),
    pick(['0', '1', '-1', '2', '7', '9007199254740993', '9223372036854775807']),
    pick([...days, ...specialDays]),
    pick([...days, ...specialDays]),
    pick([...instants, ...specialDays]),
    pick(['true', 'false']),
    pick(texts),
  ];
}

describe('the two back ends of a filter', () => {
  let house: House;
  let client: pg.PoolClient;
  const random = randomFrom(seed);
  const written = Array.from({ length: 120 }, () => cellTexts(random));
  const rows: Cell[][] = written.map((cells) => cells.map((cell, i) => readCell(cell, things.columns[i]!)));

  before(async () => {
    house = await House.open();
    client = await house.app.lanes.readers.connect();
    await client.query(createTableSql('things', [{ name: 'row', type: 'integer' }, ...things.columns]));
    const places = things.columns.map((_, i) => `$${i + 2}`).join(', ');
    for (const [i, cells] of written.entries())
      await client.query(`INSERT INTO ${dataTable('things')} VALUES ($1, ${places})`, [i, ...cells]);
  });
  after(async () => {
    client.release();
    await house.close();
  });

  /** Rows that the database keeps; undefined where it refuses a number that leaves the range of doubles. */
  async function keptBySql(where: string, values: readonly unknown[]): Promise<number[] | undefined> {
    const text = `SELECT row::int FROM ${dataTable('things')} WHERE ${where} ORDER BY row`;
    try {
      return (await client.query<[number]>({ text, values: [...values], rowMode: 'array' })).rows.flat();
    } catch (error) {
      assert.equal((error as { code?: string }).code, '22003', `${text}: ${String(error)}`);
      return undefined;
    }
  }

  it('keep the same rows, by parameters and by settings', async (t) => {
    let kept = 0;
    let refused = 0;
    let settled = 0;
    await fc.assert(
      fc.asyncProperty(condition, async (text) => {
        const typed = checkFilter(parseFilter(text), thingScope(text));
        const test = compilePredicate(typed, (name) => things.columns.findIndex((one) => one.name === name));
        const binder = new StatementBinder();
        const found = await keptBySql(compileSql(typed, binder), binder.values);
        if (found === undefined) {
          refused++;
          return;
        }
        const expected = rows.flatMap((row, i) => (test(row) ? [i] : []));
        assert.deepEqual(found, expected, text);
        kept += expected.length;
        if (settled++ % 4 > 0) return;
        const settings = new SettingBinder();
        const where = compileSql(typed, settings);
        const sets = settings.settings.map((_, i) => `set_config($${2 * i + 1}, $${2 * i + 2}, false)`);
        if (sets.length > 0)
          await client.query(
            `SELECT ${sets.join(', ')}`,
            settings.settings.flatMap(({ name, value }) => [name, value]),
          );
        assert.deepEqual(await keptBySql(where, []), expected, text);
      }),
      { numRuns, seed },
    );
    t.diagnostic(
      `${numRuns} filters over ${rows.length} rows: ${kept} rows kept, ${refused} filters out of range, seed ${seed}`,
    );
    assert.ok(kept > numRuns && refused < numRuns / 20);
  });

  it('fold capitals and accents alike over every letter that the database knows', async (t) => {
    const letters: string[] = [];
    for (let code = 0x20; code <= 0x1ffff; code++) {
      if (code >= 0xd800 && code <= 0xdfff) continue;
      const letter = String.fromCodePoint(code);
      if (/^[\p{L}\p{M}\p{N}]$/u.test(letter)) letters.push(letter);
    }
    const column = { name: 't', type: 'text' as const };
    for (const op of ['casei', 'accenti'] as const) {
      const sql = compileSql(
        { kind: 'operation', type: 'text', op, args: [{ kind: 'column', type: 'text', column }] },
        new StatementBinder(),
      );
      const { rows: found } = await client.query<[string, string]>({
        text: `SELECT t, ${sql} FROM unnest($1::text[]) AS x(t)`,
        values: [letters],
        rowMode: 'array',
      });
      const different = found.filter(([letter, folded]) => {
        const equal = checkFilter(parseFilter(`${op.toUpperCase()}(t) = u`), {
          dataset: { name: 'x', columns: [column, { name: 'u', type: 'text' }] },
          text: '',
        });
        return !compilePredicate(equal, (name) => (name === 't' ? 0 : 1))([letter, folded]);
      });
      t.diagnostic(`${op}: ${letters.length} letters, ${different.length} that only the newer Unicode folds`);
      // An older Unicode leaves letters as they are that were added since; none folds to something else.
      assert.deepEqual(
        different.filter(([letter, folded]) => letter !== folded),
        [],
      );
      assert.ok(different.length < 100);
    }
  });
});
