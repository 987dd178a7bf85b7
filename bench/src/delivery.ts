import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import nodemailer from 'nodemailer';
import { chromium } from 'playwright-core';
import { chartSvg, type PageScene } from '@underbell/core/render';
import type { BarFigure, FigureResult } from '@underbell/core/report';
import { light } from '@underbell/core/theme';
import { MailTransport } from '@underbell/service/deliver';
import { openMakePool } from '@underbell/service/copies';
import { MailHost } from '@underbell/standins/mail';
import { chromiumPath } from '../../scripts/install.mjs';
import { timeBoth, type BenchFigure } from './figures.ts';

const letters = 400;
const attachmentBytes = 60_000;
const lanes = 5;

/** Hands work out to a few lanes at once. */
async function inLanes(count: number, work: (i: number) => Promise<unknown>): Promise<void> {
  let next = 0;
  await Promise.all(
    Array.from({ length: lanes }, async () => {
      while (next < count) await work(next++);
    }),
  );
}

/** Letters with a file each, beside the raw SMTP library to the same mail host. */
async function benchMail(folder: string, runs: number): Promise<BenchFigure> {
  const host = new MailHost({ port: 0 });
  const port = await host.start();
  const path = join(folder, 'letter.pdf');
  writeFileSync(path, randomBytes(attachmentBytes));
  const transport = new MailTransport(
    { smtpUrl: `smtp://127.0.0.1:${port}`, mailFrom: 'Bench <bench@skerrow.example>' },
    { allowedPrivateAddresses: [], isOperators: true },
  );
  const raw = nodemailer.createTransport({ host: '127.0.0.1', port, pool: true, maxConnections: lanes });
  const to = (i: number) => `quay${i}@skerrow.example`;
  const attachment = { name: 'pack.pdf', path, type: 'application/pdf' };
  try {
    const floor = () =>
      inLanes(letters, (i) =>
        raw.sendMail({
          from: 'bench@skerrow.example',
          to: to(i),
          subject: `Pack ${i}`,
          text: 'Hello',
          attachments: [{ filename: 'pack.pdf', path, contentType: 'application/pdf' }],
        }),
      );
    const ours = () =>
      inLanes(letters, (i) =>
        transport.send({
          messageId: `<${i}.${randomBytes(6).toString('hex')}@skerrow.example>`,
          to: to(i),
          subject: `Pack ${i}`,
          text: 'Hello',
          attachments: [attachment],
        }),
      );
    const begin = readFileSync(path).toString('base64').slice(0, 60);
    /** Who got a letter with the file. */
    const arrived = (send: () => Promise<unknown>) => async () => {
      const before = host.mails.length;
      await send();
      const withFile = host.mails.slice(before).filter(({ raw }) => raw.includes(begin));
      return withFile.flatMap((mail) => mail.to).sort();
    };
    await floor();
    await ours();
    return {
      benchmark: `mail, ${letters} letters of ${attachmentBytes / 1000} kB`,
      ...(await timeBoth(runs, arrived(ours), arrived(floor), (one, other) => {
        assert.equal(one.length, letters);
        assert.deepEqual(one, other);
      })),
      against: 'the raw SMTP library, same host',
      goal: { atMost: 1.25 },
    };
  } finally {
    transport.close();
    raw.close();
    await host.stop();
  }
}

const pages = 120;
const taste = { locale: 'en-GB', timeZone: 'UTC' };

/** One sheet with a chart and a table of 40 rows. */
function scene(i: number): PageScene {
  const figures = [
    {
      kind: 'bar',
      name: 'bars',
      title: 'Passengers, by route',
      by: 'route',
      measure: 'passengers',
      at: { column: 1, row: 1, width: 12, height: 7 },
    },
    {
      kind: 'table',
      name: 'rows',
      title: 'Sailings',
      columns: ['route', 'vessel', 'passengers'],
      at: { column: 1, row: 8, width: 12, height: 10 },
    },
  ] as never[];
  const bars: FigureResult = {
    columns: [
      { name: 'route', label: 'Route', type: 'text', role: 'group' },
      { name: 'passengers', label: 'Passengers', type: 'number', role: 'measure' },
    ],
    rows: Array.from({ length: 10 }, (_, r) => [`Route ${r}`, 900 - r * 70 + i]),
  };
  const rows: FigureResult = {
    columns: [
      { name: 'route', label: 'Route', type: 'text', role: 'cell' },
      { name: 'vessel', label: 'Vessel', type: 'text', role: 'cell' },
      { name: 'passengers', label: 'Passengers', type: 'number', role: 'cell' },
    ],
    rows: Array.from({ length: 40 }, (_, r) => [`Route ${r % 10}`, `Vessel ${r % 19}`, 100 + r * i]),
  };
  return {
    title: 'Quay pack',
    page: { name: 'pack', title: `Quay ${i}`, figures },
    results: new Map([
      ['bars', bars],
      ['rows', rows],
    ]),
    taste,
    limits: [`quay is Q${i}`],
    dataAsOf: Date.UTC(2026, 10, 1),
  };
}

const require = createRequire(import.meta.resolve('@underbell/core/render'));

/** The same sheet as a page for a browser: the same chart as SVG, the same table, the same font. */
function html(i: number): string {
  const { page, results, limits, title } = scene(i);
  const [bar] = page.figures as readonly BarFigure[];
  const svg = chartSvg(bar!, results.get('bars')!, { theme: light, taste, width: 680, height: 230 });
  const rows = results
    .get('rows')!
    .rows.map((row) => `<tr>${row.map((cell) => `<td>${String(cell)}</td>`).join('')}</tr>`);
  const font = readFileSync(
    require.resolve('@expo-google-fonts/source-sans-3/400Regular/SourceSans3_400Regular.ttf'),
  ).toString('base64');
  return `<!doctype html><meta charset="utf-8"><style>@font-face{font-family:S;src:url(data:font/ttf;base64,${font})}body{font:9pt S}</style><h1>${title}</h1><p>${limits.join()}</p>${svg}<table>${rows.join('')}</table>`;
}

/** The vessels in a PDF's table, from the top; there are some. */
function vesselsIn(path: string): readonly string[] {
  const found = execFileSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' }).match(/Vessel \d+/g);
  assert.ok(found, `no vessel in ${path}`);
  return found;
}

/** One-page PDFs drawn by two threads, beside printing the same sheet through a browser that is kept open. */
async function benchPdf(folder: string, runs: number): Promise<BenchFigure> {
  const scenes = Array.from({ length: pages }, (_, i) => scene(i));
  const pool = openMakePool(pages, 'normal');
  const browser = await chromium.launch({ executablePath: chromiumPath, args: ['--no-sandbox'] });
  try {
    const draw = async () => {
      let next = 0;
      await Promise.all(
        Array.from({ length: pool.width }, async () => {
          while (next < scenes.length) {
            const i = next++;
            await pool.make({ kind: 'page', format: 'pdf', scene: scenes[i]!, to: join(folder, `page-${i}.pdf`) });
          }
        }),
      );
      return next;
    };
    await draw();
    const few = 20;
    const printedPath = join(folder, 'printed.pdf');
    const tabs = await Promise.all([browser.newPage(), browser.newPage()]);
    const print = async () => {
      let next = 0;
      let last: Buffer | undefined;
      await Promise.all(
        tabs.map(async (tab) => {
          while (next < few) {
            await tab.setContent(html(next++));
            last = await tab.pdf({ format: 'A4' });
          }
        }),
      );
      return last;
    };
    await print();
    const { ours, floor } = await timeBoth(runs, draw, print, (drawn, printed) => {
      assert.equal(drawn, pages);
      writeFileSync(printedPath, printed!);
      assert.deepEqual(vesselsIn(join(folder, `page-${few - 1}.pdf`)), vesselsIn(printedPath));
    });
    return {
      benchmark: `PDF of one page, ${pages} of them, two threads`,
      ours,
      against: 'a browser kept open, two tabs',
      floor: (floor / few) * pages,
      goal: { atLeast: 5 },
    };
  } finally {
    await pool.close();
    await browser.close();
  }
}

/** Sending letters and printing pages. */
export async function benchDelivery(folder: string, runs: number): Promise<BenchFigure[]> {
  return [await benchMail(folder, runs), await benchPdf(folder, runs)];
}
