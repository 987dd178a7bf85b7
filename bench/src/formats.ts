import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { strFromU8, unzipSync, zipSync } from 'fflate';
import type { Cell } from '@underbell/core/filter';
import {
  fillWorkbook,
  fitTemplate,
  LeakScanner,
  packParts,
  readTemplate,
  writeWorkbook,
  type OfferedColumn,
} from '@underbell/core/workbook';
import { packBook, quayBookParts } from '@underbell/demo/quayBook';
import { timeBoth, type BenchFigure } from './figures.ts';

const columns: readonly OfferedColumn[] = [
  { name: 'sailed_on', label: 'Sailed on', type: 'date' },
  { name: 'route_name', label: 'Route', type: 'text' },
  { name: 'vessel', type: 'text' },
  { name: 'passengers', type: 'number' },
  { name: 'vehicles', type: 'number' },
  { name: 'delay_minutes', label: 'Delay', type: 'number' },
  { name: 'fares', label: 'Fares', type: 'number' },
];
const rowCount = 2_200;
const rows: readonly (readonly Cell[])[] = Array.from({ length: rowCount }, (_, i) => [
  `2026-10-${String((i % 30) + 1).padStart(2, '0')}`,
  `Route ${i % 14} & back`,
  `Vessel ${i % 19}`,
  40 + ((i * 37) % 300),
  (i * 11) % 60,
  (i * 7) % 40,
  100 + ((i * 53) % 4_000) / 4,
]);
const values = Array.from({ length: 265 }, (_, i) => `Q${String(i + 1).padStart(3, '0')}`);

/** What is used of the library that most programs write workbooks with. */
interface UsualLibrary {
  Workbook: new () => {
    addWorksheet(
      name: string,
      options: object,
    ): { columns: object[]; autoFilter: object; addRow(cells: unknown[]): void };
    xlsx: { writeBuffer(): Promise<Uint8Array> };
  };
}

/** Fetches that library for this run alone: it is no part of the program. @returns nothing without a network */
async function fetchUsualLibrary(folder: string): Promise<UsualLibrary | undefined> {
  try {
    const options = ['install', '--prefix', folder, '--no-audit', '--no-fund', 'exceljs@4'];
    await promisify(execFile)('npm', options, { timeout: 120_000 });
    return createRequire(join(folder, 'index.js'))('exceljs') as UsualLibrary;
  } catch {
    return undefined;
  }
}

/** The same sheet by that library, in memory. */
async function byUsualLibrary({ Workbook }: UsualLibrary): Promise<Uint8Array> {
  const book = new Workbook();
  const sheet = book.addWorksheet('Sailings', { views: [{ state: 'frozen', ySplit: 1 }] });
  sheet.columns = columns.map(({ name, label, type }) => ({
    header: label ?? name,
    key: name,
    width: 16,
    style: type === 'number' ? { numFmt: '#,##0.00' } : type === 'date' ? { numFmt: 'yyyy-mm-dd' } : {},
  }));
  for (const row of rows)
    sheet.addRow(row.map((cell, i) => (columns[i]!.type === 'date' ? new Date(`${String(cell)}T00:00:00Z`) : cell)));
  sheet.autoFilter = { from: 'A1', to: { row: rows.length + 1, column: columns.length } };
  return book.xlsx.writeBuffer();
}

/** How many rows the sheet of a workbook has. */
const rowsOf = (book: Uint8Array): number =>
  strFromU8(unzipSync(book)['xl/worksheets/sheet1.xml']!).match(/<row /g)!.length;

/** Making workbooks, beside packing the very same bytes. */
export async function benchFormats(folder: string, runs: number): Promise<BenchFigure[]> {
  const often = runs * 5;
  const usual = await fetchUsualLibrary(folder);
  const template = readTemplate(packBook(quayBookParts()), { table: 'Sailings' });
  const fit = fitTemplate(template, columns);
  const scanner = new LeakScanner(values);
  const fill = () => fillWorkbook(template, fit, columns, rows);
  const clean = () =>
    writeWorkbook(
      [
        {
          title: 'Sailings',
          columns: columns.map(({ name, label, type }) => ({ heading: label ?? name, type })),
          rows,
        },
      ],
      { title: 'Sailings', notes: [] },
    );
  const filled = fill();
  // By the zip library that we use, in script, and by the packer that we have made of it and of zlib.
  const figures = async (benchmark: string, work: () => Buffer, bytes: Buffer): Promise<BenchFigure[]> => {
    const parts = unzipSync(bytes);
    const named = `${benchmark}, ${rowCount.toLocaleString('en')} rows`;
    const against = async (words: string, zip: () => Uint8Array): Promise<BenchFigure> => ({
      benchmark: named,
      ...(await timeBoth(
        often,
        async () => work(),
        async () => zip(),
        (made, zipped) => assert.deepEqual(unzipSync(zipped), unzipSync(made)),
      )),
      against: `zipping the same bytes, ${words}`,
      goal: { atMost: 1.5 },
    });
    return [
      await against('zip library', () => zipSync(parts, { level: 1 })),
      await against('our packer', () => packParts(Object.entries(parts))),
    ];
  };
  return [
    ...(await figures('prepared workbook filled', fill, filled)),
    ...(await figures(
      'and searched for values of 264 others',
      () => {
        const book = fill();
        assert.deepEqual(scanner.scan(book, template, ['Q001'], rowCount), []);
        return book;
      },
      filled,
    )),
    ...(await figures('clean workbook', clean, clean())),
    ...(usual === undefined
      ? []
      : [
          {
            benchmark: `clean workbook, ${rowCount.toLocaleString('en')} rows`,
            ...(await timeBoth(
              often,
              async () => clean(),
              () => byUsualLibrary(usual),
              (made, theirs) => assert.equal(rowsOf(theirs), rowsOf(made)),
            )),
            against: 'the usual workbook library',
            goal: { atLeast: 4 },
          },
        ]),
  ];
}
