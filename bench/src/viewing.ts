import assert from 'node:assert/strict';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { Agent, createServer, get } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import Koa from 'koa';
import type { Browser } from 'playwright-core';
import { build } from 'vite';
import { startSession } from '@underbell/service/access';
import { queryCache } from '@underbell/service/dataset';
import type { App } from '@underbell/service/platform';
import { startWeb, stopWeb } from '../../packages/service/src/server.ts';
import type { PersonViewer } from '@underbell/core/access';
import { launchBrowser } from '../../scripts/browser.ts';
import { root } from '../../scripts/install.mjs';
import { rebind } from './rebinding.ts';
import { median, timeBoth, timeIt, type BenchFigure } from './figures.ts';

export interface ViewingBench {
  readonly app: App;
  readonly folder: string;
  readonly reader: PersonViewer;
  readonly quays: readonly string[];
  readonly runs: number;
  readonly say: (text: string) => void;
}

const viewers = 200;
const filters = 20;

/** The page's figures as somebody would write them by hand, straight to the table. */
const handWritten = (table: string, column = 'quay_id') => {
  const share = 'sum(on_time::int)::float8 / nullif(sum((NOT cancelled)::int), 0)';
  const from = `FROM ${table} WHERE ${column} = $1`;
  return [
    `SELECT ${share}, count(*) ${from}`,
    `SELECT avg(delay_minutes) ${from}`,
    `SELECT sum(cancelled::int), sum(cancelled::int)::float8 / count(*) ${from}`,
    `SELECT sum(passengers), sum(vehicles) ${from}`,
    `SELECT route_name, ${share} ${from} GROUP BY 1 ORDER BY 2 DESC LIMIT 30`,
    `SELECT sailed_on, ${share} ${from} GROUP BY 1 ORDER BY 1`,
    `SELECT route_name, vessel, count(*), ${share}, avg(delay_minutes), sum(cancelled::int), sum(passengers), sum(fares) ${from} GROUP BY 1, 2 ORDER BY 5 DESC LIMIT 60`,
  ];
};

/** Asks the page's figures by hand, narrowed by one column. */
async function rawPage(app: App, column: 'quay_id' | 'route_name') {
  const { rows } = await app.lanes.readers.query<{ table_name: string }>(
    "SELECT table_name FROM revisions WHERE dataset_name = 'sailings' AND state = 'ready' ORDER BY id DESC LIMIT 1",
  );
  const table = `data."${rows[0]!.table_name}"`;
  const queries = handWritten(table, column);
  const found = await app.lanes.readers.query<{ value: string }>(
    `SELECT DISTINCT ${column} AS value FROM ${table} ORDER BY 1`,
  );
  return {
    values: found.rows.map((one) => one.value),
    ask: (value: string) => Promise.all(queries.map((text) => app.lanes.readers.query({ text, values: [value] }))),
  };
}

/** What the queries of a cross-filtered page take, over many marks. */
async function rawCrossFilter({ app, runs }: ViewingBench): Promise<number> {
  const { values, ask } = await rawPage(app, 'route_name');
  const times: number[] = [];
  for (const value of values.slice(0, runs * 4)) times.push(await timeIt(1, () => ask(value)));
  return median(times);
}

/** 200 viewers with 20 filters ask for one page: what a miss and a hit cost against the raw SQL. */
async function benchCache(
  { app, quays, runs, say }: ViewingBench,
  ask: (quay: string) => Promise<unknown>,
): Promise<BenchFigure[]> {
  const asked = quays.slice(0, filters);
  const { ask: raw } = await rawPage(app, 'quay_id');
  const byHand = await raw(asked[0]!);
  const times: number[] = [];
  for (const quay of asked) times.push(await timeIt(runs, () => raw(quay)));
  const floor = median(times);
  const before = queryCache(app).counts;
  const misses: number[] = [];
  let first: unknown;
  for (const quay of asked)
    misses.push(
      await timeIt(1, async () => {
        const answer = await ask(quay);
        first ??= answer;
      }),
    );
  const readOnce = queryCache(app).counts.misses;
  const start = performance.now();
  await Promise.all(Array.from({ length: viewers }, (_, i) => ask(asked[i % filters]!)));
  const all = performance.now() - start;
  const hits: number[] = [];
  for (const quay of asked) hits.push(await timeIt(runs, () => ask(quay)));
  const { hits: answered, misses: read, bytes } = queryCache(app).counts;
  assert.ok(readOnce > before.misses, 'pages that nobody asked for came from the cache');
  assert.equal(read, readOnce, 'pages that were asked for went to the database again');
  assert.deepEqual(await ask(asked[0]!), first, 'a page from the cache is another');
  for (const sum of Object.values(byHand[3]!.rows[0] as Record<string, string>))
    assert.ok(JSON.stringify(first).includes(sum), `the page lacks ${sum}`);
  say(
    `  ${viewers} viewers, ${filters} filters: ${all.toFixed(0)} ms for all; ${read - before.misses} queries read, ${answered - before.hits} answered from the cache, ${(bytes / 1024).toFixed(0)} KiB kept`,
  );
  return [
    {
      benchmark: 'a page over HTTP that nobody asked for yet',
      ours: median(misses),
      against: 'its 7 queries, hand-written',
      floor,
      goal: { atMost: 1.5 },
    },
    {
      benchmark: 'the same page asked again by another viewer',
      ours: median(hits),
      against: 'its 7 queries, hand-written',
      floor,
      goal: { atMost: 0.3 },
    },
  ];
}

/** Asks so often, eight at once, and does no more than count what comes back. @returns the bytes */
async function load(url: string, key: string, count: number): Promise<number> {
  const agent = new Agent({ keepAlive: true, maxSockets: 8 });
  const headers = { Authorization: `Bearer ${key}`, 'Accept-Encoding': 'gzip' };
  const ask = () =>
    new Promise<void>((resolve, reject) => {
      get(url, { agent, headers }, (answer) =>
        answer.on('data', (piece: Buffer) => (bytes += piece.length)).on('end', resolve),
      ).on('error', reject);
    });
  let asked = 0;
  let bytes = 0;
  await Promise.all(
    Array.from({ length: 8 }, async () => {
      while (asked++ < count) await ask();
    }),
  );
  agent.destroy();
  return bytes;
}

/** A page that the process keeps, beside a bare route that answers the same bytes after asking the database once. */
async function benchKept({ app, runs }: ViewingBench, url: string, key: string): Promise<BenchFigure> {
  const answer = await fetch(url, { headers: { Authorization: `Bearer ${key}` } });
  const bytes = gzipSync(await answer.text(), { level: 3 });
  const bare = new Koa();
  bare.use(async (ctx) => {
    await app.lanes.readers.query('SELECT 1');
    ctx.set('Content-Encoding', 'gzip');
    ctx.type = 'json';
    ctx.body = bytes;
  });
  const server = createServer(bare.callback());
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const floorUrl = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  const count = 400;
  await load(url, key, count);
  await load(floorUrl, key, count);
  const { ours, floor } = await timeBoth(
    runs + 2,
    () => load(url, key, count),
    () => load(floorUrl, key, count),
    (ours, floor) => assert.equal(ours, floor),
  );
  server.close();
  return {
    benchmark: `${count} views of a kept page, 8 at once`,
    ours,
    against: 'a bare Koa route, same bytes, one query',
    floor,
    goal: { atMost: 2 },
  };
}

/** What a page with charts fetches of the viewer's script. */
function scriptSize(): number {
  const assets = join(root, 'packages/viewer/dist/assets');
  const later =
    /^(ReaderFilter|PickerFigure|ProblemBox|PreviewPage|SignInWindow|signInWindow|FrameCard|FolderPage|chatHost|HomePage|SendToChannel|openerHost)-/;
  return readdirSync(assets)
    .filter((name) => name.endsWith('.js') && !later.test(name))
    .reduce((sum, name) => sum + gzipSync(readFileSync(join(assets, name))).length, 0);
}

/** A page by hand: the same library, the same chart, its numbers in the page. */
async function staticPage(folder: string, option: object): Promise<{ url: string; close: () => void }> {
  const source = join(folder, 'static');
  const charts = join(root, 'packages/viewer/src/figure/charts.ts');
  mkdirSync(source, { recursive: true });
  writeFileSync(
    join(source, 'main.ts'),
    `import { initChart } from ${JSON.stringify(charts)};\nconst chart = initChart(document.getElementById('chart')!);\nchart.setOption(${JSON.stringify(option)});\n`,
  );
  writeFileSync(
    join(source, 'index.html'),
    '<!doctype html><meta charset="utf-8"><body><div id="chart" style="width:600px;height:360px"></div><script type="module" src="./main.ts"></script>',
  );
  await build({ root: source, logLevel: 'silent', configFile: false, build: { outDir: 'dist', emptyOutDir: true } });
  const dist = join(source, 'dist');
  const server = createServer((request, response) => {
    const path = request.url === '/' ? 'index.html' : request.url!.slice(1);
    if (!existsSync(join(dist, path))) return void response.writeHead(404).end();
    response.setHeader('Content-Type', path.endsWith('.js') ? 'text/javascript' : 'text/html');
    response.end(readFileSync(join(dist, path)));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return { url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/`, close: () => server.close() };
}

async function coldLoad(browser: Browser, url: string, key: string | undefined, selector: string): Promise<number> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  try {
    if (key) await context.setExtraHTTPHeaders({ Authorization: `Bearer ${key}` });
    const page = await context.newPage();
    const start = performance.now();
    await page.goto(url, { waitUntil: 'commit' });
    await page.waitForSelector(selector, { state: 'attached' });
    return performance.now() - start;
  } finally {
    await context.close();
  }
}

/** From a click on a bar to the redrawn page, as the browser itself measures it. */
async function crossFilter(browser: Browser, url: string, key: string, runs: number): Promise<number> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
  await context.setExtraHTTPHeaders({ Authorization: `Bearer ${key}` });
  const page = await context.newPage();
  await page.goto(url);
  await page.waitForSelector('section.bar .marks button', { state: 'attached' });
  // As text: it runs in the page, where the names that a compiler adds mean nothing.
  const times = await page.evaluate<number[]>(`(async () => {
    const found = [];
    for (let i = 0; i < ${runs * 4}; i++) {
      await new Promise((resolve) => setTimeout(resolve, 300));
      const marks = document.querySelectorAll('section.bar .marks button');
      const words = () => [...document.querySelectorAll('.limits button.own')].map((one) => one.textContent).join();
      const before = words();
      const start = performance.now();
      marks[i % marks.length].click();
      for (let frame = 0; frame < 300 && (words() === before || document.querySelector('main.grid').ariaBusy === 'true'); frame++)
        await new Promise((resolve) => requestAnimationFrame(resolve));
      await new Promise((resolve) => requestAnimationFrame(resolve));
      found.push(performance.now() - start);
    }
    return found;
  })()`);
  await context.close();
  return median(times);
}

/**
 * Thirty frames of one page, as a host has them (`lazy`): until all that are in view are drawn, against one alone; and all at
 * once: until the last is drawn, and how long one then takes to answer a click. Milliseconds.
 */
async function thirtyFrames(
  browser: Browser,
  url: string,
  key: string,
): Promise<{ one: number; inView: number; all: number; click: number }> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
  await context.setExtraHTTPHeaders({ Authorization: `Bearer ${key}` });
  const page = await context.newPage();
  page.setDefaultTimeout(60_000);
  // A page of the service itself may frame it.
  await page.goto(url);
  await page.waitForSelector('section.figure');
  const open = async (count: number, look: string, waited: number) => {
    const start = performance.now();
    const markup = `<iframe ${look} src="${url}" width="600" height="400"></iframe>`.repeat(count);
    await page.evaluate(`document.body.innerHTML = ${JSON.stringify(markup)}`);
    await page.waitForFunction(`window.frames.length === ${count}`);
    const frames = page.frames().slice(1);
    const drawn = frames
      .slice(0, waited)
      .map((frame) => frame.waitForSelector('section.bar .marks button', { state: 'attached' }));
    await Promise.all(drawn);
    return { frames, took: performance.now() - start };
  };
  await open(1, '', 1);
  const { took: one } = await open(1, '', 1);
  // Two beside each other, two below each other.
  const { took: inView } = await open(30, 'loading="lazy"', 4);
  const { frames, took: all } = await open(30, '', 30);
  const clicked = performance.now();
  await frames[15]!.evaluate("document.querySelector('section.bar .marks button').click()");
  await frames[15]!.waitForSelector('button.own');
  const click = performance.now() - clicked;
  await context.close();
  return { one, inView, all, click };
}

/** The viewer and the cache behind it. The dataset has 60,000 rows. */
export async function benchViewing(bench: ViewingBench): Promise<BenchFigure[]> {
  const { app, folder, reader, runs, say } = bench;
  const server = await startWeb(app);
  const browser = await launchBrowser();
  try {
    const { key } = await startSession(app, reader.id, 'command line');
    const base = app.settings.publicUrl;
    const ask = async (quay: string) => {
      const answer = await fetch(`${base}/api/v1/reports/quay-punctuality/view?quay=${quay}`, {
        headers: { Authorization: `Bearer ${key}` },
      });
      if (!answer.ok) throw new Error(await answer.text());
      return answer.json();
    };
    // As warm as a process that has been answering for a while; the pages that are measured are new to it.
    for (const quay of bench.quays.slice(filters)) await ask(quay);
    const figures = await benchCache(bench, ask);
    figures.push(await benchKept(bench, `${base}/api/v1/reports/quay-punctuality/view?quay=${bench.quays[0]!}`, key));
    const url = `${base}/r/quay-punctuality`;
    const size = scriptSize();
    say(`  viewer's script for a page with charts: ${(size / 1000).toFixed(1)} kB gzip`);
    const option = {
      xAxis: { type: 'value' },
      yAxis: { type: 'category', data: ['a', 'b', 'c'] },
      series: [{ type: 'bar', data: [1, 2, 3] }],
    };
    const page = await staticPage(folder, option);
    const [ours, charts, floor]: [number[], number[], number[]] = [[], [], []];
    for (let i = 0; i < Math.max(5, runs); i++) {
      ours.push(await coldLoad(browser, url, key, 'section.figure .value, section.figure .chart svg'));
      charts.push(await coldLoad(browser, url, key, 'section.figure .chart svg'));
      floor.push(await coldLoad(browser, page.url, undefined, '#chart svg'));
    }
    page.close();
    const click = await crossFilter(browser, url, key, runs);
    const frames = await thirtyFrames(browser, url, key);
    say(
      `  30 frames at once: the last is drawn after ${frames.all.toFixed(0)} ms, one alone after ${frames.one.toFixed(0)} ms; a click in one is answered in ${frames.click.toFixed(0)} ms`,
    );
    const sql = await rawCrossFilter(bench);
    // Records that no other part of this run asks for.
    const records = bench.quays.slice(filters, filters + 4 * runs);
    const { ask: raw } = await rawPage(app, 'quay_id');
    const queries: number[] = [];
    for (const quay of records) queries.push(await timeIt(1, () => raw(quay)));
    const rebound = await rebind(browser, { base, key, quays: records });
    return [
      ...figures,
      {
        benchmark: 'first figure on a cold load',
        ours: median(ours),
        against: 'a static page, same chart and library',
        floor: median(floor),
        goal: { atMost: 1.5 },
      },
      {
        benchmark: 'first chart on a cold load',
        ours: median(charts),
        against: 'a static page, same chart and library',
        floor: median(floor),
        goal: { atMost: 1.5 },
      },
      {
        benchmark: '30 frames on a page: those in view are drawn',
        ours: frames.inView,
        against: 'one frame',
        floor: frames.one,
        goal: { atMost: 3 },
      },
      {
        benchmark: 'cross-filter to redraw, 60,000 rows',
        ours: click,
        against: '150 ms',
        floor: 150,
        goal: { atMost: 1 },
      },
      {
        benchmark: 'cross-filter to redraw, 60,000 rows',
        ours: click,
        against: 'its queries, hand-written',
        floor: sql,
        goal: { atMost: 10 },
      },
      {
        benchmark: 'the element bound to another record, beyond its queries',
        ours: rebound - median(queries),
        against: '150 ms',
        floor: 150,
        goal: { atMost: 1 },
      },
      {
        benchmark: 'viewer’s script, gzip (in kB)',
        ours: size / 1000,
        against: '230 kB',
        floor: 230,
        goal: { atMost: 1 },
      },
    ];
  } finally {
    await browser.close();
    await stopWeb(server);
  }
}
