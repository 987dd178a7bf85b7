import { unzipSync, zipSync } from 'fflate';
import type { Cell } from '@underbell/core/filter';
import {
  fillWorkbook,
  fitTemplate,
  LeakScanner,
  readTemplate,
  writeWorkbook,
  type OfferedColumn,
} from '@underbell/core/workbook';
import { packBook, quayBookParts } from '@underbell/demo/quayBook';
import { timeIt, type BenchFigure } from './figures.ts';

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

/** Making workbooks, beside packing the very same bytes. */
export async function benchFormats(runs: number): Promise<BenchFigure[]> {
  const often = runs * 5;
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
  const floor = async (bytes: Buffer) => {
    const parts = unzipSync(bytes);
    return timeIt(often, async () => zipSync(parts, { level: 1 }));
  };
  const filled = fill();
  const against = 'zipping the same bytes';
  const figure = async (benchmark: string, work: () => unknown, bytes: Buffer): Promise<BenchFigure> => ({
    benchmark: `${benchmark}, ${rowCount.toLocaleString('en')} rows`,
    ours: await timeIt(often, async () => work()),
    against,
    floor: await floor(bytes),
    goal: { atMost: 1.5 },
  });
  return [
    await figure('prepared workbook filled', fill, filled),
    await figure(
      'and searched for values of 264 others',
      () => scanner.scan(fill(), template, ['Q001'], rowCount),
      filled,
    ),
    await figure('clean workbook', clean, clean()),
  ];
}
