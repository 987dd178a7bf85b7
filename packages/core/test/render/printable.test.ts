import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, describe, it } from 'node:test';
import fc from 'fast-check';
import { strFromU8, unzipSync } from 'fflate';
import { SaxesParser } from 'saxes';
import { printable } from '../../src/format/index.ts';
import { checkPdf, checkPng } from '../../src/readback/index.ts';
import { pageSvg, parseFonts, renderPdf, renderPng, type PageScene } from '../../src/render/index.ts';
import type { BarFigure, FigureResult, Page } from '../../src/report/index.ts';
import { writeWorkbook } from '../../src/workbook/index.ts';
import { aReport } from '../builders.ts';
import { casesOf } from '../cases.ts';

const require = createRequire(import.meta.url);
const pathOf = (file: string) => require.resolve(`@expo-google-fonts/source-sans-3/${file}`);
const fontFiles = [pathOf('400Regular/SourceSans3_400Regular.ttf'), pathOf('600SemiBold/SourceSans3_600SemiBold.ttf')];
const fonts = parseFonts({ regular: readFileSync(fontFiles[0]!), semibold: readFileSync(fontFiles[1]!) });
const folder = mkdtempSync(join(tmpdir(), 'underbell-printable-'));
after(() => rmSync(folder, { recursive: true, force: true }));

const bar = aReport().pages[0]!.figures[1] as BarFigure;
const table = { kind: 'table', name: 'rows', title: 'Rows', columns: ['route'] } as const;

/** A page on which a text stands as a title, a filter, a cell and a bar’s name. */
function sceneOf(text: string): PageScene {
  const page: Page = {
    name: 'overview',
    title: `Page ${text}`,
    figures: [bar, { ...table, at: { column: 1, row: 9, width: 12, height: 4 } }],
  };
  const bars: FigureResult = {
    columns: [
      { name: 'route', label: 'Route', type: 'text', role: 'group' },
      { name: 'passengers', label: 'Passengers', type: 'number', role: 'measure' },
    ],
    rows: [[`Bar ${text}`, 1200]],
  };
  const rows: FigureResult = {
    columns: [{ name: 'route', label: 'Route', type: 'text', role: 'cell' }],
    rows: [[`Cell ${text}`]],
  };
  return {
    title: `Report ${text}`,
    page,
    taste: { locale: 'en-GB', timeZone: 'UTC' },
    limits: [`quay is ${text}`],
    dataAsOf: Date.parse('2026-11-01T00:00:00Z'),
    results: new Map([
      [bar.name, bars],
      ['rows', rows],
    ]),
  };
}

/** Whether a document is XML, by a parser of others. */
function requireXml(text: string): void {
  const parser = new SaxesParser();
  parser.on('error', (error) => {
    throw error;
  });
  parser.write(text).close();
}

describe('a character that cannot be drawn or stored', () => {
  const odd = fc
    .array(
      fc.oneof(
        fc.integer({ min: 0, max: 0x9f }),
        fc.integer({ min: 0xd7f0, max: 0xe010 }),
        fc.constantFrom(0xfffd, 0xfffe, 0xffff),
        fc.integer({ min: 0x10000, max: 0x10ffff }),
      ),
      { minLength: 1, maxLength: 12 },
    )
    .map((codes) => String.fromCodePoint(...codes));

  it('is replaced visibly, one for one, and nothing else is', () => {
    assert.equal(printable('a\u0001b\u0000\u007f\u0085\ufffe'), 'a□b□□□□');
    assert.equal(printable('\ud800x\udc00'), '□x□');
    assert.equal(printable('Zoë 😀\tκ\n'), 'Zoë 😀\tκ\n');
    fc.assert(
      fc.property(odd, (text) => {
        const shown = printable(text);
        assert.equal([...shown].length, [...text].length);
        assert.ok(shown.isWellFormed());
        assert.equal(printable(shown), shown);
      }),
      casesOf(500, 33),
    );
  });

  it('fails no drawing, document or workbook, wherever it stands', async () => {
    await fc.assert(
      fc.asyncProperty(odd, async (text) => {
        const scene = sceneOf(text);
        requireXml(pageSvg(scene).svg);
        checkPng(renderPng(scene, fontFiles));
        await renderPdf(scene, fonts);
        const about = { title: text, notes: [text] };
        const book = writeWorkbook(
          [{ title: text, columns: [{ heading: text, type: 'text' }], rows: [[text]] }],
          about,
        );
        for (const part of Object.values(unzipSync(book))) requireXml(strFromU8(part));
      }),
      casesOf(25, 34),
    );
  });

  it('reads the same in a document, a drawing and a workbook', async () => {
    const scene = sceneOf('A\u0001Z');
    const path = join(folder, 'a.pdf');
    writeFileSync(path, await renderPdf(scene, fonts));
    const inPdf = spawnSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' }).stdout;
    const svg = pageSvg(scene).svg;
    const book = writeWorkbook([{ title: 'S', columns: [{ heading: 'H', type: 'text' }], rows: [['Cell A\u0001Z']] }], {
      title: 'T',
      notes: [],
    });
    const sheet = strFromU8(unzipSync(book)['xl/worksheets/sheet1.xml']!);
    for (const found of [inPdf, svg, sheet]) assert.match(found, /Cell A□Z/);
    for (const found of [inPdf, svg]) assert.match(found, /Bar A□Z/);
  });
});

describe('a document and an image that are read back', () => {
  it('are refused with a byte of their structure changed or their end missing', async () => {
    const isDamage = { code: 'FILE_DAMAGED' };
    const pdf = await renderPdf(sceneOf('x'), fonts);
    checkPdf(pdf, 1);
    assert.throws(() => checkPdf(pdf, 2), isDamage);
    const png = renderPng(sceneOf('x'), fontFiles);
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, maxExcluded: true, noNaN: true }), (share) => {
        assert.throws(() => checkPdf(pdf.subarray(0, Math.floor(share * (pdf.length - 2))), 1), isDamage);
        assert.throws(() => checkPng(png.subarray(0, Math.floor(share * png.length))), isDamage);
        const at = Math.floor(share * png.length);
        const changed = Buffer.from(png);
        changed[at]! ^= 0x10;
        assert.throws(() => checkPng(changed), isDamage);
      }),
      casesOf(100, 35),
    );
    for (const word of ['endstream', ' 0 obj', 'startxref', '/Type /Page\n']) {
      const changed = Buffer.from(pdf);
      changed[pdf.indexOf(word) + 1]! ^= 0x01;
      assert.throws(() => checkPdf(changed, 1), isDamage, word);
    }
  });

  it('are read back with a password too', async () => {
    const locked = await renderPdf({ ...sceneOf('x'), password: 'lantern-quay-7' }, fonts);
    assert.throws(() => checkPdf(locked.subarray(0, -40), 1), { code: 'FILE_DAMAGED' });
  });
});
