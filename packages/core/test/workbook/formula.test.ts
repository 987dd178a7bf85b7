import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import type { Calculation } from '../../src/report/index.ts';
import { writeWorkbook, type Sheet } from '../../src/workbook/index.ts';
import { casesOf, randomFrom } from '../cases.ts';
import { sheetsInOffice } from './office.ts';

type Cell = number | null;
const about = { title: 'R', notes: [] };
const column = (index: number, mayBeMissing = true): Calculation => ({ column: index, mayBeMissing });
const number = (heading: string, calculation?: Calculation) => ({
  heading,
  type: 'number' as const,
  ...(calculation ? { calculation } : {}),
});
const sheetOf = (sheet: Omit<Sheet, 'title'>) => {
  const parts = unzipSync(writeWorkbook([{ title: 'S', ...sheet }], about));
  return {
    cells: strFromU8(parts['xl/worksheets/sheet1.xml']!),
    table: strFromU8(parts['xl/tables/table1.xml']!),
  };
};

/** What the formula must give, said without formulas. */
function valueOf(one: Calculation, row: readonly Cell[]): Cell {
  if ('column' in one) return row[one.column] ?? null;
  if ('value' in one) return one.value;
  const [left, right] = one.args.map((arg) => valueOf(arg, row));
  if (left === null || left === undefined || right === null || right === undefined) return null;
  if (right === 0 && !['+', '-', '*'].includes(one.op)) return null;
  const of = { '+': left + right, '-': left - right, '*': left * right, '/': left / right };
  if (one.op === '%') return left % right;
  return one.op === 'div' ? Math.trunc(left / right) : of[one.op];
}

describe('calculated columns of a workbook', () => {
  const share: Calculation = { op: '/', args: [column(0), column(1, false)] };
  const columns = [number('Fares [€]'), number("Trips, captain's"), number('Each', share)];

  it('are formulas over the columns of their table, with the values that the report computed', () => {
    const { cells, table } = sheetOf({ columns, rows: [[84, 2, 42], [null, 3, null]] }); // prettier-ignore
    const fares = "Rows1[[#This Row],[Fares '[€']]]";
    const formula = `IF(ISNUMBER(${fares}),IFERROR(${fares}/Rows1[[#This Row],[Trips, captain''s]],&quot;&quot;),&quot;&quot;)`;
    assert.ok(cells.includes(`<c r="C2" s="6"><f>${formula}</f><v>42</v></c>`), cells);
    assert.ok(cells.includes(`<c r="C3" s="6" t="str"><f>${formula}</f><v></v></c>`), cells);
    assert.ok(table.includes(`name="Each"><calculatedColumnFormula>${formula}</calculatedColumnFormula>`), table);
  });

  it('are calculated from the totals in the sum line, not from its rows', () => {
    const rows = [[84, 2, 42], [16, 3, 16 / 3]]; // prettier-ignore
    const { cells } = sheetOf({ columns, rows, total: [100, 5, 20] });
    assert.match(cells, /<c r="A4" s="7"><f>SUBTOTAL\(109,A2:A3\)<\/f><v>100<\/v>/);
    assert.match(
      cells,
      /<c r="C4" s="7"><f>IF\(ISNUMBER\(A4\),IFERROR\(A4\/B4,&quot;&quot;\),&quot;&quot;\)<\/f><v>20</,
    );
  });

  it('name their columns on one line', () => {
    const { table, cells } = sheetOf({ columns: [number('Fares\n in  €'), number('fares in €')], rows: [[1, 2]] });
    assert.match(table, /name="Fares in €".*name="fares in € 2"/);
    assert.match(cells, />Fares in €</);
  });

  it('give the same when a spreadsheet program computes them anew', { timeout: 120_000 }, () => {
    const { numRuns, seed } = casesOf(60, 5);
    const random = randomFrom(seed);
    const pick = (most: number) => Math.floor(random() * most);
    const inputs = 4;
    const someRows = (count: number) =>
      Array.from({ length: count }, () =>
        Array.from({ length: inputs }, (): Cell =>
          pick(6) === 0 ? null : pick(5) === 0 ? 0 : (pick(4001) - 2000) / 8,
        ),
      );
    // What has been divided cannot be divided with a rest.
    const divided = (one: Calculation): boolean => 'op' in one && (one.op === '/' || one.args.some(divided));
    const someOperation = (depth: number): Calculation => {
      const args = [someCalculation(depth - 1), someCalculation(depth - 1)] as const;
      const op = (['+', '-', '*', '/', '%', 'div'] as const)[pick(args.some(divided) ? 4 : 6)]!;
      return { op, args };
    };
    const someCalculation = (depth: number): Calculation => {
      const kind = depth === 0 ? pick(2) : pick(6);
      if (kind === 0) return { value: pick(41) - 20 };
      if (kind === 1) return column(pick(inputs));
      return someOperation(depth);
    };
    const calculations = Array.from({ length: numRuns }, () => someOperation(3));
    const rows = someRows(25);
    const headings = ['A', "it's #1", '[b]', 'c,d'];
    const parts = unzipSync(
      writeWorkbook(
        [
          {
            title: 'S',
            columns: [...headings.map((one) => number(one)), ...calculations.map((one, i) => number(`F${i}`, one))].map(
              (one) => ({ ...one, format: '0.0000000000' }),
            ),
            rows,
          },
        ],
        about,
      ),
    );
    const name = 'xl/worksheets/sheet1.xml';
    const before = strFromU8(parts[name]!);
    assert.match(before, /<\/f><v>/);
    // Without their values there is nothing that the program could take over.
    parts[name] = strToU8(before.replace(/<\/f><v>[^<]*<\/v>/g, '</f>').replace(/ t="str"><f>/g, '><f>'));
    const lines = sheetsInOffice(zipSync(parts))['S']!.trimEnd().split('\n').slice(1);
    assert.equal(lines.length, rows.length);
    let compared = 0;
    lines.forEach((line, r) => {
      const cells = line.split(',').map((text) => text.replace(/^"|"$/g, ''));
      calculations.forEach((calculation, i) => {
        const wanted = valueOf(calculation, rows[r]!);
        const said = `seed ${seed}, row ${r + 2}: ${JSON.stringify(calculation)} of ${JSON.stringify(rows[r])}`;
        const cell = cells[inputs + i] ?? '';
        compared += 1;
        if (wanted === null) return assert.equal(cell, '', said);
        assert.notEqual(cell, '', said);
        const off = Math.abs(Number(cell) - wanted);
        assert.ok(off <= 1e-9 * Math.max(1, Math.abs(wanted)), `${cell}, not ${wanted}: ${said}`);
      });
    });
    process.stdout.write(`formulas computed anew: ${compared}, seed ${seed}\n`);
  });
});
