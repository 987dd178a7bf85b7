import type { DatasetShape } from '@underbell/core/dataset';
import {
  checkFilter,
  compilePredicate,
  compileSql,
  parseFilter,
  StatementBinder,
  toFilterJson,
  type Cell,
} from '@underbell/core/filter';
import { dataTable, findDataset, readableRevision } from '@underbell/service/dataset';
import type { App } from '@underbell/service/platform';
import { timeIt, type BenchFigure } from './figures.ts';

const shape: DatasetShape = {
  name: 'sailings',
  columns: [
    { name: 'quay_id', type: 'text' },
    { name: 'route', type: 'text' },
    { name: 'vessel', type: 'text' },
    { name: 'sailed_on', type: 'date' },
    { name: 'left_at', type: 'instant' },
    { name: 'passengers', type: 'integer' },
    { name: 'cars', type: 'integer' },
    { name: 'fares', type: 'number' },
    { name: 'delay', type: 'number' },
    { name: 'cancelled', type: 'boolean' },
  ],
};

/** Twenty terms of the kinds that rules and readers write. */
const filter = `
  quay_id IN ('Q001', 'Q002', 'Q003', 'Q004', 'Q005', 'Q017')
  AND route <> 'R99' AND vessel <> 'Nobody' AND vessel IS NOT NULL
  AND sailed_on >= DATE('2026-01-01') AND sailed_on < DATE('2027-01-01') AND sailed_on <> DATE('2026-12-25')
  AND left_at >= TIMESTAMP('2026-01-01T00:00:00Z') AND left_at < TIMESTAMP('2027-01-01T00:00:00Z')
  AND passengers >= 0 AND passengers < 5000 AND passengers <> 13
  AND cars >= 0 AND cars < 900
  AND (fares > 10 OR delay > 120) AND fares < 100000
  AND delay BETWEEN -60 AND 600
  AND NOT cancelled AND (route = 'R1' OR route = 'R2' OR passengers > 20)`;

const first = Date.parse('2026-01-01T00:00:00Z');
const last = Date.parse('2027-01-01T00:00:00Z');
const wanted = new Set(['Q001', 'Q002', 'Q003', 'Q004', 'Q005', 'Q017']);

/** The same comparison as a programmer would write it for this one filter. */
function byHand(row: readonly Cell[]): boolean {
  const [quay, route, vessel, day, left, passengers, cars, fares, delay, cancelled] = row as [
    string | null,
    string | null,
    string | null,
    string | null,
    number | null,
    number | null,
    number | null,
    number | null,
    number | null,
    boolean | null,
  ];
  return (
    quay !== null &&
    wanted.has(quay) &&
    route !== null &&
    route !== 'R99' &&
    vessel !== null &&
    vessel !== 'Nobody' &&
    day !== null &&
    day >= '2026-01-01' &&
    day < '2027-01-01' &&
    day !== '2026-12-25' &&
    left !== null &&
    left >= first &&
    left < last &&
    passengers !== null &&
    passengers >= 0 &&
    passengers < 5000 &&
    passengers !== 13 &&
    cars !== null &&
    cars >= 0 &&
    cars < 900 &&
    fares !== null &&
    (fares > 10 || (delay !== null && delay > 120)) &&
    fares < 100_000 &&
    delay !== null &&
    delay >= -60 &&
    delay <= 600 &&
    cancelled === false &&
    (route === 'R1' || route === 'R2' || passengers > 20)
  );
}

function makeRows(count: number): Cell[][] {
  const day = (i: number) => new Date(first + (i % 365) * 86_400_000).toISOString().slice(0, 10);
  return Array.from({ length: count }, (_, i) => [
    `Q${String((i * 7) % 20).padStart(3, '0')}`,
    i % 41 === 0 ? null : `R${i % 9}`,
    i % 53 === 0 ? null : `Vessel ${i % 30}`,
    day(i),
    first + (i % 8_000) * 3_600_000,
    i % 400,
    i % 90,
    (i % 700) + 0.25,
    (i % 90) - 20,
    i % 50 === 0,
  ]);
}

const check = (text: string) => checkFilter(parseFilter(text), { dataset: shape, text });

function count(rows: readonly Cell[][], test: (row: readonly Cell[]) => boolean): number {
  let kept = 0;
  for (const row of rows) if (test(row)) kept++;
  return kept;
}

async function inMemory(rowCount: number, runs: number): Promise<BenchFigure> {
  const rows = makeRows(rowCount);
  const test = compilePredicate(check(filter), (name) => shape.columns.findIndex((one) => one.name === name));
  const kept = count(rows, test);
  if (kept !== count(rows, byHand)) throw new Error('the two comparisons do not keep the same rows');
  // The machine's noise falls on both alike: they take turns.
  const ours: number[] = [];
  const floors: number[] = [];
  for (let i = 0; i < runs * 3; i++) {
    ours.push(await timeIt(1, async () => count(rows, test)));
    floors.push(await timeIt(1, async () => count(rows, byHand)));
  }
  return {
    benchmark: `20 terms over ${rowCount.toLocaleString('en')} rows in memory (${kept.toLocaleString('en')} kept)`,
    ours: Math.min(...ours),
    against: 'the same comparison written by hand',
    floor: Math.min(...floors),
    goal: { atMost: 2 },
  };
}

async function understanding(): Promise<BenchFigure[]> {
  const rounds = 2_000;
  const json = JSON.stringify(toFilterJson(parseFilter(filter)));
  const compile = async () => {
    for (let i = 0; i < rounds; i++) {
      const typed = check(filter);
      compilePredicate(typed, () => 0);
      compileSql(typed, new StatementBinder());
    }
  };
  const floor = async () => {
    for (let i = 0; i < rounds; i++) JSON.parse(json);
  };
  await compile();
  const long = (terms: number) =>
    Array.from({ length: terms }, (_, i) => `passengers <> ${100 + (i % 900)}`).join(' AND ');
  const parse = (text: string, times: number) => async () => {
    for (let i = 0; i < times; i++) parseFilter(text);
  };
  await parse(long(600), 50)();
  return [
    {
      benchmark: `parse, check and compile 20 terms, ${rounds.toLocaleString('en')} times`,
      ours: await timeIt(5, compile),
      against: 'JSON.parse of the same filter',
      floor: await timeIt(5, floor),
      goal: { atMost: 20 },
    },
    {
      benchmark: 'parse a text of 15,000 characters, per character',
      ours: await timeIt(5, parse(long(640), 100)),
      against: 'a text of 1,500 characters',
      floor: await timeIt(5, parse(long(64), 1_000)),
      goal: { atMost: 1.5 },
    },
  ];
}

const byParts = `passengers > 20 AND NOT cancelled AND sailed_on >= DATE('2000-01-01') AND quay_id IN ('Q001', 'Q017', 'Q020')`;
const sqlByHand = `passengers > 20 AND NOT cancelled AND sailed_on >= '2000-01-01' AND quay_id IN ('Q001', 'Q017', 'Q020')`;

async function inSql(app: App, runs: number): Promise<BenchFigure> {
  const dataset = await findDataset(app, 'sailings');
  const table = dataTable((await readableRevision(app, 'sailings')).table);
  const binder = new StatementBinder();
  const where = compileSql(checkFilter(parseFilter(byParts), { dataset, text: byParts }), binder);
  const run = async (condition: string, values: readonly unknown[]) => {
    const { rows } = await app.lanes.planned.query<{ count: string }>(
      `SELECT count(*) FROM ${table} WHERE ${condition}`,
      [...values],
    );
    return rows[0]!.count;
  };
  if ((await run(where, binder.values)) !== (await run(sqlByHand, []))) throw new Error('the two queries do not agree');
  const ours: number[] = [];
  const floors: number[] = [];
  for (let i = 0; i < runs * 3; i++) {
    ours.push(await timeIt(1, () => run(where, binder.values)));
    floors.push(await timeIt(1, () => run(sqlByHand, [])));
  }
  return {
    benchmark: 'the compiled filter in PostgreSQL',
    ours: Math.min(...ours),
    against: 'the same SQL written by hand',
    floor: Math.min(...floors),
    goal: { atMost: 1 },
  };
}

/** How long a filter takes to be understood, to test rows in memory, and to run in the database. */
export async function benchFilter(options: { app: App; rows: number; runs: number }): Promise<BenchFigure[]> {
  return [
    ...(await understanding()),
    await inMemory(options.rows, options.runs),
    await inSql(options.app, options.runs),
  ];
}
