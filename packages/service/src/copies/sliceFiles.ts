import { createRouter, cutTexts, RowCutter, type Cut } from '@underbell/core/burst';
import { columnsOf } from '@underbell/core/filter';
import { csvLine, csvLineEnd } from '@underbell/core/csv';
import { readRowBytes } from '../dataset/index.ts';
import { mapConcurrent, type App } from '../platform/index.ts';
import { copyColumns, filterFor, scanFor, type Scan } from './filters.ts';
import type { CopyJob } from './job.ts';
import { CopyBuffer } from './copyBuffer.ts';

/** So many queries of one run are asked at once, where each copy takes one: fewer than the lane has connections. */
export const queriesAtOnce = 3;

/** A cut and the file that its rows go to. */
export interface CutFile {
  readonly cut: Cut;
  readonly path: string;
}

/**
 * Writes the rows of all cuts into one CSV file each: out of one scan, or with a query each where no scan can be cut.
 *
 * Every row is checked a second time, in memory, against its recipient's whole filter.
 *
 * @param format - `csv` as it is sent, with its heading; `raw` without, for what is made of it
 * @param onProgress - called with the rows read so far; throwing stops the scan
 * @returns the rows read
 * @throws {Refusal} `FOREIGN_ROW`, `DISK_FULL`, whatever `onProgress` throws
 */
export async function writeSlices(
  app: App,
  job: CopyJob,
  cuts: readonly CutFile[],
  format: 'csv' | 'raw',
  onProgress: (rows: number) => void,
): Promise<number> {
  const { shape } = job.rowRevision;
  if (job.strategy.kind === 'one pass') {
    const scan = scanFor(
      job,
      shape,
      cuts.map((one) => one.cut),
    );
    return cutScan(app, job, cuts, scan, format, onProgress);
  }
  let before = 0;
  await mapConcurrent(cuts, queriesAtOnce, async (one) => {
    const scan: Scan = { filter: filterFor(job, shape, one.cut), columns: [], tuples: [[[]]] };
    const read = await cutScan(app, job, [one], scan, format, (rows) => onProgress(before + rows));
    // Several are read at once: what is added to is read after the waiting, not before it.
    before += read;
  });
  return before;
}

async function cutScan(
  app: App,
  job: CopyJob,
  cuts: readonly CutFile[],
  { filter, columns: keys, tuples }: Scan,
  format: 'csv' | 'raw',
  onProgress: (rows: number) => void,
): Promise<number> {
  const { rowRevision } = job;
  const { shape } = rowRevision;
  const routed = cuts.map(({ cut }, i) => ({
    name: cutTexts(cut),
    tuples: tuples[i]!,
    where: filterFor(job, shape, cut).innerWhere,
  }));
  const names = new Set(keys.map((one) => one.name));
  const read = columnsOf(filter.innerWhere).filter((column) => !names.has(column.name));
  const prefix = [...keys, ...read];
  const cells = copyColumns(job, cuts[0]?.cut);
  const buffer = new CopyBuffer(
    cuts.map((cut) => cut.path),
    format === 'raw'
      ? { heading: '', lineEnd: '\n' }
      : { heading: csvLine(cells.map((one) => one.name)), lineEnd: csvLineEnd },
  );
  const rowSplitter = new RowCutter({
    prefixFields: prefix.length,
    route: createRouter({ columns: prefix, keys, cuts: routed }),
    take: buffer.take,
  });
  const request = { lane: 'planned', revision: rowRevision, filter } as const;
  await readRowBytes(app, request, { prefix, cells }, format, {
    room: buffer.room,
    take: rowSplitter.row,
    onPiece: () => onProgress(rowSplitter.rows),
  });
  buffer.flush();
  onProgress(rowSplitter.rows);
  return rowSplitter.rows;
}
