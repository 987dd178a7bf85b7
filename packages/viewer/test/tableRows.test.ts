import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { nextTick, reactive, ref } from 'vue';
import type { FigureResult, TableFigure } from '@underbell/core/report';
import { useTableRows, type TableSort } from '../src/table/useTableRows.ts';
import type { Viewing } from '../src/view/viewing.ts';

const taste = { locale: 'en-GB', timeZone: 'UTC' };
const figure: TableFigure = {
  kind: 'table',
  name: 'rows',
  title: 'Rows',
  columns: ['route', 'late'],
  at: { column: 1, row: 1, width: 12, height: 8 },
};
const columns: FigureResult['columns'] = [
  { name: 'route', label: 'Route', type: 'text', role: 'cell' },
  { name: 'late', label: 'Late', type: 'number', role: 'cell' },
];
const short: FigureResult = {
  columns,
  rows: [
    ['Ostle', 3],
    ['Keldane', null],
    ['Grimsa', 12],
    ['Arran', 3],
  ],
  tones: [{ row: 2, column: 1, tone: 'bad' }],
};
const first = (lines: readonly ({ cells: readonly { text: string }[] } | undefined)[]) =>
  lines.map((one) => one?.cells[0]!.text);
const settled = () => new Promise((resolve) => setImmediate(resolve));

describe('the lines of a short table', () => {
  const sort = ref<TableSort>();
  const rows = useTableRows(reactive({ figure, result: short, taste }), undefined, sort);
  const shown = () => first(Array.from({ length: rows.count.value }, (_, i) => rows.lineAt(i)));

  it('stand as the service answers, and in the order of the reader', () => {
    assert.deepEqual(shown(), ['Ostle', 'Keldane', 'Grimsa', 'Arran']);
    sort.value = { by: 'route', descending: false };
    assert.deepEqual(shown(), ['Arran', 'Grimsa', 'Keldane', 'Ostle']);
    sort.value = { by: 'late', descending: false };
    assert.deepEqual(shown(), ['Ostle', 'Arran', 'Grimsa', 'Keldane'], 'equal ones stay in their order');
  });

  it('have what is missing last, whichever way they are sorted, and tones with their rows', () => {
    sort.value = { by: 'late', descending: true };
    assert.deepEqual(shown(), ['Grimsa', 'Ostle', 'Arran', 'Keldane']);
    assert.equal(rows.lineAt(0)!.cells[1]!.tone, 'bad');
    assert.equal(rows.lineAt(1)!.cells[1]!.tone, undefined);
    sort.value = { by: 'no such column', descending: true };
    assert.deepEqual(shown(), ['Ostle', 'Keldane', 'Grimsa', 'Arran']);
  });
});

describe('the lines of a long table', () => {
  const total = 1_000;
  interface Asked {
    readonly wish: { from: number; count: number; sort?: TableSort };
    answer(): void;
    fail(): void;
  }
  function longTable() {
    const asked: Asked[] = [];
    const api = {
      rows: (_: unknown, wish: Asked['wish']) =>
        new Promise((resolve, reject) => {
          const rows = Array.from({ length: wish.count }, (_, i) => [`${wish.sort?.by ?? 'row'} ${wish.from + i}`, i]);
          asked.push({ wish, answer: () => resolve({ rows, total }), fail: () => reject(new Error('offline')) });
        }),
    };
    const sort = ref<TableSort>();
    const result = { columns, rows: short.rows, isCut: true };
    const viewing = { api, question: ref({}) } as unknown as Viewing;
    return { asked, sort, ...useTableRows(reactive({ figure, result, taste }), viewing, sort) };
  }

  it('come in windows, each asked for once, as they are scrolled to', async () => {
    const { asked, count, lineAt, show } = longTable();
    assert.deepEqual(
      asked.map(({ wish }) => [wish.from, wish.count]),
      [[0, 200]],
    );
    assert.equal(count.value, short.rows.length, 'as many as are known');
    asked[0]!.answer();
    await settled();
    assert.equal(count.value, total);
    assert.deepEqual(first([lineAt(0), lineAt(199), lineAt(200)]), ['row 0', 'row 199', undefined]);
    show(150, 420);
    show(390, 400);
    assert.deepEqual(
      asked.map(({ wish }) => wish.from),
      [0, 200, 400],
      '400 is the first line beyond the window before',
    );
    asked[2]!.answer();
    asked[1]!.answer();
    await settled();
    assert.deepEqual(first([lineAt(200), lineAt(599)]), ['row 200', 'row 599']);
  });

  it('are asked for again after a failure, when they are scrolled to again', async () => {
    const { asked, lineAt, show } = longTable();
    asked[0]!.fail();
    await settled();
    show(0, 10);
    assert.equal(asked.length, 2);
    asked[1]!.answer();
    await settled();
    assert.deepEqual(first([lineAt(3)]), ['row 3']);
  });

  it('drop an answer that comes after the order has changed', async () => {
    const { asked, sort, lineAt } = longTable();
    sort.value = { by: 'late', descending: true };
    await nextTick();
    assert.deepEqual(asked[1]!.wish.sort, { by: 'late', descending: true });
    asked[1]!.answer();
    await settled();
    asked[0]!.answer();
    await settled();
    assert.deepEqual(first([lineAt(0)]), ['late 0']);
  });
});
