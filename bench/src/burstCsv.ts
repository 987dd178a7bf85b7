import assert from 'node:assert/strict';
import { execFile, fork, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { csvLine } from '@underbell/core/csv';
import type { App } from '@underbell/service/platform';
import type { WorkerTask } from './burstWorker.ts';
import { median, timeBoth, timeIt, type BenchFigure } from './figures.ts';

const execFileAsync = promisify(execFile);

export interface BurstBench {
  readonly app: App;
  readonly folder: string;
  readonly psql: string;
  readonly databaseUrl: string;
  readonly sender: string;
  /** Of a process of the service over the same database. */
  readonly environment: Readonly<Record<string, string>>;
  /** Quays that the copies are for. */
  readonly quays: readonly string[];
  readonly runs: number;
  /** Leaves out the query per recipient, which takes minutes. */
  readonly isQuick: boolean;
  readonly say: (text: string) => void;
}

/** Rows and bytes below a folder, to see that both ways wrote the same. */
function bytesIn(folder: string): number {
  return readdirSync(folder).reduce((sum, name) => sum + statSync(join(folder, name)).size, 0);
}

/** Each row of a file, in an order of its own; days and instants as moments, which the driver makes of both. */
const rowsIn = (path: string): string[] =>
  readFileSync(path, 'utf8')
    .split('\r\n')
    .map((line) =>
      line
        .replaceAll(/\d{4}-\d\d-\d\dT[^,]+/g, (instant) => String(Date.parse(instant)))
        .replaceAll(/\d{4}-\d\d-\d\d/g, (day) => String(Date.parse(`${day}T00:00:00`))),
    )
    .sort();

/** @throws where a recipient has another row in one folder than in the other */
function sameRows(one: string, other: string, quays: readonly string[]): void {
  for (const quay of quays) {
    const [wanted, found] = [one, other].map((folder) => rowsIn(join(folder, `${quay}.csv`))) as [string[], string[]];
    const at = Math.max(wanted.length, found.length);
    for (let i = 0; i < at; i++) if (found[i] !== wanted[i]) assert.equal(found[i], wanted[i], `row ${i} of ${quay}`);
  }
}

export function emptyFolder(folder: string): string {
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  return folder;
}

/** A worker's process as the start command runs it, which makes the copies. */
async function openWorker(
  bench: BurstBench,
): Promise<{ run: () => Promise<number>; folder: string; close: () => void }> {
  const { environment, sender, quays } = bench;
  const folder = join(bench.folder, 'ours');
  const worker = await startWorker({ environment, sender, quays, folder, kind: 'when asked' });
  const run = async () => {
    const answered = once(worker, 'message') as Promise<[number]>;
    worker.send('now');
    const [rows] = await answered;
    return rows;
  };
  return { run, folder, close: () => void worker.disconnect() };
}

/** Starts a worker's process of the bench; it is ready when this returns. */
export async function startWorker(task: WorkerTask): Promise<ChildProcess> {
  const worker = fork(fileURLToPath(new URL('../../dist/bench/burstWorker.mjs', import.meta.url)), [
    JSON.stringify(task),
  ]);
  await once(worker, 'message');
  return worker;
}

/** What people write today: a query for each recipient, rows as objects, a line each. */
async function loop(bench: BurstBench, table: string): Promise<{ ms: number; bytes: number }> {
  const folder = join(bench.folder, 'loop');
  const ms = await timeIt(1, async () => {
    emptyFolder(folder);
    for (const quay of bench.quays) {
      const { rows, fields } = await bench.app.lanes.planned.query<Record<string, unknown>>(
        `SELECT * FROM ${table} WHERE quay_id = $1`,
        [quay],
      );
      const names = fields.map((field) => field.name);
      const text = rows.map((row) =>
        csvLine(
          names.map((name) =>
            row[name] === null ? null : row[name] instanceof Date ? row[name].toISOString() : String(row[name]),
          ),
        ),
      );
      writeFileSync(join(folder, `${quay}.csv`), csvLine(names) + text.join(''));
    }
  });
  return { ms, bytes: bytesIn(folder) };
}

/** Burst of CSV only against an unordered COPY of the same rows by psql to nowhere, and against a query per recipient. */
export async function benchBurstCsv(bench: BurstBench): Promise<BenchFigure[]> {
  const { app, say } = bench;
  const [found] = await app.records.query(
    "SELECT r.table_name FROM revisions r JOIN datasets d ON d.revision_id = r.id WHERE d.name = 'sailings'",
  );
  const table = `data."${(found as { table_name: string }[])[0]!.table_name}"`;
  const list = bench.quays.map((quay) => `'${quay}'`).join(',');
  const copy = `COPY (SELECT * FROM ${table} WHERE quay_id IN (${list})) TO STDOUT`;
  const psql = () =>
    execFileAsync('sh', ['-c', `exec "$0" -X -q "$1" -c "$2" > /dev/null`, bench.psql, bench.databaseUrl, copy]);
  await psql();
  const { folder, run, close } = await openWorker(bench);
  const rows = await run();
  const { rows: counted } = await app.lanes.planned.query<{ all: number }>(
    `SELECT count(*)::int AS all FROM ${table} WHERE quay_id IN (${list})`,
  );
  say('  one pass, and COPY by psql, in turns …');
  const times = await timeBoth(bench.runs, run, psql, (read) => assert.equal(read, counted[0]!.all));
  const bytes = bytesIn(folder);
  const name = `burst, CSV, ${bench.quays.length} recipients`;
  const first: BenchFigure = {
    benchmark: name,
    ...times,
    against: 'psql, unordered COPY to nowhere',
    goal: { atMost: 1.5 },
  };
  if (bench.isQuick) {
    close();
    return [first];
  }
  const rival = async (words: string, of: string, goal: BenchFigure['goal']): Promise<BenchFigure> => {
    say(`  a query per recipient, ${words} …`);
    const one = await loop(bench, of);
    // It takes minutes: our way is timed anew right after it.
    const ours = median([await timeIt(1, run), await timeIt(1, run), times.ours]);
    sameRows(join(bench.folder, 'loop'), folder, bench.quays);
    say(`    wrote ${Math.round(one.bytes / 1e6)} MB; one pass ${Math.round(bytes / 1e6)} MB of ${rows} rows`);
    return { benchmark: name, ours, against: `a query per recipient, ${words}`, floor: one.ms, goal };
  };
  const came = await asItCame(bench);
  const indexed = await rival('index', came, { atLeast: 12 });
  const laidOut = await rival('index, on our layout', table, { atLeast: 12 });
  await app.lanes.planned.query(`DROP INDEX ${came}_quay`);
  const plain = await rival('no index', came, { atLeast: 25 });
  close();
  return [first, indexed, laidOut, plain];
}

/** The same rows as a source has them: in the order in which they came, with an index by quay. @returns the table's name */
export async function asItCame({ app }: Pick<BurstBench, 'app'>): Promise<string> {
  const [found] = (await app.records.query(
    "SELECT r.table_name FROM revisions r JOIN datasets d ON d.revision_id = r.id WHERE d.name = 'sailings'",
  )) as unknown as [{ table_name: string }[]];
  await app.lanes.planned.query(
    `CREATE TABLE IF NOT EXISTS data.came AS SELECT * FROM data."${found[0]!.table_name}" ORDER BY planned_departure;
     CREATE INDEX IF NOT EXISTS came_quay ON data.came (quay_id); ANALYZE data.came`,
  );
  return 'data.came';
}
