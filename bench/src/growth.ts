import assert from 'node:assert/strict';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import { readBurst, type BurstDefinition, type Cut, type CutStrategy } from '@underbell/core/burst';
import { findPerson } from '@underbell/service/access';
import { prepareBurst, type PreparedBurst } from '@underbell/service/burst';
import { writeSlices, readResults } from '@underbell/service/copies';
import { asItCame, emptyFolder, startWorker, type BurstBench } from './burstCsv.ts';
import { timeBoth, type BenchFigure } from './figures.ts';

const base = {
  format: 'underbell-burst/1',
  name: 'bench',
  title: 'Bench',
  report: 'quay-punctuality',
  list: 'none',
  formats: ['csv'],
  fileName: '{quay}',
  destination: { kind: 'mail', subject: 'x', message: 'x' },
};

async function prepared(bench: BurstBench, change: Partial<BurstDefinition>): Promise<PreparedBurst> {
  const sender = (await findPerson(bench.app, { email: bench.sender }))!;
  return prepareBurst(bench.app, sender, readBurst({ ...base, ...change }), undefined);
}

const perQuay = (bench: BurstBench): Cut[] => bench.quays.map((quay) => ({ fields: { quay: [quay] } }));

/**
 * Figures of a page for all recipients in one query each, beside a query for each recipient with an index: on rows as a
 * source has them, and on our own layout, where one recipient's rows lie together.
 */
export async function benchFigures(bench: BurstBench): Promise<BenchFigure[]> {
  const burst = await prepared(bench, { bind: { quay: 'quay' } });
  const cuts = perQuay(bench);
  const strategy = { kind: 'a query each', because: 'to compare' } satisfies CutStrategy;
  const slow: PreparedBurst = { ...burst, strategy };
  assert.notEqual(burst.strategy.kind, slow.strategy.kind, 'the two ways are one');
  const came = (await asItCame(bench)).replace('data.', '');
  const asCame = new Map([...burst.revisions].map(([name, one]) => [name, { ...one, id: -one.id, table: came }]));
  const against = async (words: string, of: PreparedBurst): Promise<BenchFigure> => ({
    benchmark: `figures of a page, ${cuts.length} recipients`,
    ...(await timeBoth(
      bench.isQuick ? 1 : bench.runs,
      () => readResults(bench.app, burst, cuts),
      () => readResults(bench.app, of, cuts),
      (one, other) => cuts.forEach((_, i) => assert.deepEqual(one(i), other(i), `figures of copy ${i}`)),
    )),
    against: `a query per recipient, ${words}`,
    goal: { atLeast: 5 },
  });
  return [await against('index', { ...slow, revisions: asCame }), await against('index, on our layout', slow)];
}

/** Time and memory of one pass for 10 to 10,000 recipients: the same rows, cut finer and finer. */
export async function printGrowth(bench: BurstBench): Promise<void> {
  const { app, folder, quays, say } = bench;
  const burst = await prepared(bench, {
    where: { sailings: "quay_id IN (recipient('quay')) AND sailed_on IN (recipient('day'))" },
    many: { quay: ';', day: ';' },
  });
  const { rows } = await app.lanes.planned.query<{ day: string }>(
    `SELECT DISTINCT sailed_on::text AS day FROM data."${burst.rowRevision.table}" ORDER BY 1`,
  );
  const days = rows.map((one) => one.day);
  say(`  one pass, the same rows for all: ${days.length} days of ${quays.length} quays`);
  let first: number | undefined;
  for (const recipients of [10, 100, 1_000, 10_000]) {
    // Each has some quays on some days; together they have everything once.
    const byQuay = Math.min(quays.length, Math.ceil(Math.sqrt(recipients)) * 3, recipients);
    const byDay = Math.ceil(recipients / byQuay);
    const part = <T>(all: readonly T[], count: number, i: number) => all.filter((_, at) => at % count === i);
    const cuts = Array.from({ length: recipients }, (_, i): Cut => ({
      fields: { quay: part(quays, byQuay, i % byQuay), day: part(days, byDay, Math.floor(i / byQuay)) },
    })).filter(({ fields }) => fields['quay']!.length > 0 && fields['day']!.length > 0);
    const target = emptyFolder(join(folder, 'growth'));
    globalThis.gc?.();
    const before = process.memoryUsage().rss;
    let most = 0;
    const timer = setInterval(() => (most = Math.max(most, process.memoryUsage().rss - before)), 20);
    const start = performance.now();
    const files = cuts.map((cut, i) => ({ cut, path: join(target, `${i}.csv`) }));
    const read = await writeSlices(app, burst, files, 'csv', () => {
      most = Math.max(most, process.memoryUsage().rss - before);
    });
    clearInterval(timer);
    const ms = performance.now() - start;
    first ??= ms;
    say(
      `    ${String(cuts.length).padStart(6)} recipients: ${(ms / 1000).toFixed(2)} s (${(ms / first).toFixed(2)}× of the first), ${read.toLocaleString('en')} rows, ${Math.round(most / 1e6)} MB more than before`,
    );
  }
}

/** Time and memory of one pass over more and more rows, for the same recipients. */
export async function printRowGrowth(bench: BurstBench): Promise<void> {
  const { app, folder, say } = bench;
  const burst = await prepared(bench, { bind: { quay: 'quay' } });
  const { table } = burst.rowRevision;
  const { rows: counted } = await app.lanes.planned.query<{ all: number }>(
    `SELECT count(*)::float8 AS all FROM data."${table}"`,
  );
  const { all } = counted[0]!;
  say(`  one pass for ${bench.quays.length} recipients, more and more rows:`);
  for (const wanted of [100_000, 300_000, 1_000_000, 3_000_000, 10_000_000]) {
    if (wanted > all * 1.01) break;
    // A sample that keeps the layout: the table is read in its order, and some of its rows are passed over.
    await app.lanes.planned.query(
      `DROP TABLE IF EXISTS data.part; CREATE TABLE data.part AS SELECT * FROM data."${table}" WHERE random() < ${wanted / all}; ANALYZE data.part`,
    );
    const part = { ...burst, rowRevision: { ...burst.rowRevision, table: 'part', id: -wanted } };
    const target = emptyFolder(join(folder, 'growth'));
    const files = perQuay(bench).map((cut, i) => ({ cut, path: join(target, `${i}.csv`) }));
    globalThis.gc?.();
    const before = process.memoryUsage().rss;
    let most = 0;
    const start = performance.now();
    const read = await writeSlices(app, part, files, 'csv', () => {
      most = Math.max(most, process.memoryUsage().rss - before);
    });
    const ms = performance.now() - start;
    say(
      `    ${read.toLocaleString('en').padStart(10)} rows: ${(ms / 1000).toFixed(2)} s, ${((ms / read) * 1000).toFixed(2)} µs a row, ${Math.round(most / 1e6)} MB more than before`,
    );
  }
}

/** Looks in a row with the burst going on, and so many with it held. */
const looksInTurn = 75;
const turns = 20;
/** After which a burst that was held, or went on, is at work again, or is not any more; milliseconds. */
const settleMs = 400;

/**
 * How long a reader waits for a figure, at the 95th percentile, while a burst goes on elsewhere, beside the same while it is
 * held. Both take turns every half second: a machine that others share is not as fast now as it was a minute ago.
 */
export async function benchReaders(bench: BurstBench): Promise<BenchFigure> {
  const { app, quays } = bench;
  const [found] = (await app.records.query(
    "SELECT r.table_name FROM revisions r JOIN datasets d ON d.revision_id = r.id WHERE d.name = 'sailings'",
  )) as unknown as [{ table_name: string }[]];
  const look = async (i: number) => {
    const start = performance.now();
    await app.lanes.readers.query(
      `SELECT route_id, avg(delay_minutes), count(*) FROM data."${found[0]!.table_name}" WHERE quay_id = $1 AND month = $2 GROUP BY 1`,
      [quays[i % quays.length], '2026-09-01'],
    );
    return performance.now() - start;
  };
  const lookOften = async (turn: number) => {
    const times: number[] = [];
    for (let i = 0; i < looksInTurn; i++) times.push(await look(turn * looksInTurn + i));
    return times;
  };
  // As the start command runs them: readers are answered by one process, bursts are made by another.
  const { environment, sender } = bench;
  const worker = await startWorker({
    environment,
    sender,
    quays,
    folder: join(bench.folder, 'beside'),
    kind: 'always',
  });
  // Its threads have to be there, too.
  await Promise.all([setTimeout(8_000), lookOften(0)]);
  const held: number[] = [];
  const beside: number[] = [];
  let turnsAtWork = 0;
  try {
    for (let turn = 0; turn < turns; turn++) {
      process.kill(worker.pid!, 'SIGSTOP');
      await finished(app, settleMs);
      const before = ticksOf(worker.pid!);
      held.push(...(await lookOften(turn)));
      assert.equal(ticksOf(worker.pid!), before, 'the burst went on while it was held');
      process.kill(worker.pid!, 'SIGCONT');
      await setTimeout(settleMs);
      beside.push(...(await lookOften(turn)));
      if (ticksOf(worker.pid!) > before) turnsAtWork++;
    }
    assert.ok(turnsAtWork > turns / 2, `the burst was at work in ${turnsAtWork} of ${turns} turns`);
  } finally {
    worker.kill('SIGKILL');
    await once(worker, 'exit');
  }
  const p95 = (times: number[]) => times.sort((a, b) => a - b)[Math.floor(times.length * 0.95)]!;
  return {
    benchmark: `a reader's figure, 95th percentile, beside a burst of PDF and CSV for ${quays.length}`,
    ours: p95(beside),
    against: 'the same while it is held',
    floor: p95(held),
    goal: { atMost: 1.5 },
  };
}

/** What a process has computed so far, in ticks of the system's clock. @see proc(5), /proc/pid/stat */
function ticksOf(pid: number): number {
  const [, rest] = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ');
  const fields = rest!.split(' ');
  return Number(fields[11]) + Number(fields[12]);
}

/** Waits until the database computes nothing for the planned lane any more, and a little longer. */
async function finished({ lanes }: BurstBench['app'], more: number): Promise<void> {
  for (;;) {
    const { rows } = await lanes.readers.query<{ at: number }>(
      "SELECT count(*)::int AS at FROM pg_stat_activity WHERE application_name = 'underbell planned' AND state = 'active' AND wait_event IS NULL",
    );
    if (rows[0]!.at === 0) break;
    await setTimeout(20);
  }
  await setTimeout(more);
}
