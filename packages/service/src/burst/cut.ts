import { finished } from 'node:stream/promises';
import type { Readable } from 'node:stream';
import { createRouter, RowCutter } from '@underbell/core/burst';
import type { Value } from '@underbell/core/dataset';
import { columnsOf } from '@underbell/core/filter';
import { csvLine } from '@underbell/core/csv';
import { copyRows } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import { copyColumns, filterFor, type PreparedBurst } from './prepare.ts';
import { CutSpool } from './spool.ts';

/**
 * Cuts the rows of all recipients out of one scan, into one CSV file each.
 *
 * Every row is checked a second time, in memory, against its recipient's whole filter.
 *
 * @param cuts - each value and the file that its rows go to
 * @param format - `csv` as it is sent, with its heading; `raw` without, for what is made of it
 * @param onProgress - called with the rows read so far; throwing stops the scan
 * @returns the rows read
 * @throws {Refusal} `FOREIGN_ROW`, `DISK_FULL`, whatever `onProgress` throws
 */
export async function cutRows(
  app: App,
  burst: PreparedBurst,
  cuts: readonly { readonly value: Value; readonly path: string }[],
  format: 'csv' | 'raw',
  onProgress: (rows: number) => void,
): Promise<number> {
  const { rowRevision, key } = burst;
  const { shape } = rowRevision;
  const filter = filterFor(
    burst,
    shape,
    cuts.map((cut) => cut.value),
  );
  const routed = cuts.map((cut) => ({ value: cut.value, where: filterFor(burst, shape, [cut.value]).where }));
  const read = columnsOf(filter.where).filter((column) => column.name !== key.name);
  const prefix = [key, ...read];
  const cells = copyColumns(burst);
  const spool = new CutSpool(
    cuts.map((cut) => cut.path),
    format === 'raw' ? '' : csvLine(cells.map((one) => one.name)).replace('\r\n', '\n'),
  );
  const cutter = new RowCutter({
    prefixFields: prefix.length,
    route: createRouter({ columns: prefix, key, cuts: routed }),
    take: spool.take,
  });
  await copyRows(app, { lane: 'planned', revision: rowRevision, filter }, { prefix, cells }, format, (rows) =>
    pump(rows, cutter, onProgress),
  );
  spool.flush();
  onProgress(cutter.rows);
  return cutter.rows;
}

async function pump(rows: Readable, cutter: RowCutter, onProgress: (rows: number) => void): Promise<void> {
  rows.on('data', (chunk: Buffer) => {
    try {
      cutter.push(chunk);
      onProgress(cutter.rows);
    } catch (error) {
      rows.destroy(error as Error);
    }
  });
  await finished(rows, { writable: false });
  cutter.end();
}
