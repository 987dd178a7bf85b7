import { spawnSync } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import assert from 'node:assert/strict';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { describe, it } from 'node:test';
import { chartOption } from '../../src/chart/index.ts';
import { formatCell, formatNumber } from '../../src/format/index.ts';
import { bandsOf, chartSvg, parseFonts, renderPdf, type PageScene } from '../../src/render/index.ts';
import type { BarFigure, FigureResult, Page } from '../../src/report/index.ts';
import { light } from '../../src/theme/index.ts';
import { aReport } from '../builders.ts';

const require = createRequire(import.meta.url);
const read = (file: string) => readFileSync(require.resolve(`@expo-google-fonts/source-sans-3/${file}`));
const files = {
  regular: read('400Regular/SourceSans3_400Regular.ttf'),
  semibold: read('600SemiBold/SourceSans3_600SemiBold.ttf'),
};
const fonts = parseFonts(files);
const taste = { locale: 'en-GB', timeZone: 'UTC' };
const [number, bar] = aReport().pages[0]!.figures as [never, BarFigure];
const bars: FigureResult = {
  columns: [
    { name: 'route', label: 'Route', type: 'text', role: 'group' },
    { name: 'passengers', label: 'Passengers', type: 'number', role: 'measure' },
  ],
  rows: [
    ['Ostle – Zoë', 1200],
    ['Κέλνταν', 15],
  ],
};
const table = {
  kind: 'table',
  name: 'rows',
  title: 'Rows',
  columns: ['route'],
  at: { column: 1, row: 9, width: 12, height: 4 },
} as const;

function scene(rows: number): PageScene {
  const page: Page = { name: 'overview', title: 'Overview', figures: [number, bar, table] };
  return {
    title: 'Punctuality',
    page,
    taste,
    limits: ['quay is Q017'],
    dataAsOf: Date.parse('2026-11-01T00:00:00Z'),
    results: new Map<string, FigureResult>([
      ['all', { columns: [{ name: 'sailings', label: 'Sailings', type: 'number', role: 'measure' }], rows: [[1215]] }],
      ['by-route', bars],
      [
        'rows',
        {
          columns: [{ name: 'route', label: 'Route', type: 'text', role: 'cell' }],
          rows: Array.from({ length: rows }, (_, i) => [`row ${i}`]),
        },
      ],
    ]),
  };
}
const sheets = (pdf: Buffer) => pdf.toString('latin1').match(/\/Type \/Page\b/g)?.length;

describe('a printed page', () => {
  it('has bookmarks, and tags that tell headings, charts with their words, and cells of tables', async () => {
    const text = (await renderPdf(scene(60), fonts)).toString('latin1');
    for (const part of ['/StructTreeRoot', '/Marked true', '/Outlines', '/S /H1', '/S /Figure', '/S /TH', '/S /TD'])
      assert.ok(text.includes(part), part);
    assert.equal([...text.matchAll(/\/S \/TR\b/g)].length, 61);
    assert.match(text, /\/Alt \(/);
  });

  it('opens by revision 6 for whoever has the password, as software of others sees it, and for nobody else', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'underbell-pdf-'));
    const path = join(folder, 'locked.pdf');
    const look = (given: string, what: string) =>
      spawnSync('qpdf', [`--password=${given}`, what, path], { encoding: 'utf8' });
    try {
      for (const password of ['lantern-quay-7', 'päßwörd № ½', 'x'.repeat(200)]) {
        writeFileSync(path, await renderPdf({ ...scene(3), password }, fonts));
        // What the standard makes of it before it is hashed.
        const given = password.normalize('NFKC').slice(0, 127);
        const shown = look(given, '--show-encryption');
        assert.match(shown.stdout, /R = 6/, shown.stderr);
        assert.match(shown.stdout, /stream encryption method: AESv3/);
        assert.match(shown.stdout, /Supplied password is user password/);
        assert.doesNotMatch(shown.stdout, /Supplied password is owner password/);
        assert.equal(look(given, '--check').status, 0, look(given, '--check').stderr);
        assert.notEqual(look(`${given.slice(0, 20)}?`, '--check').status, 0);
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });

  it('is locked by a password with AES of 256 bits, and then holds nothing in the clear', async () => {
    const open = (await renderPdf(scene(3), fonts)).toString('latin1');
    const locked = (await renderPdf({ ...scene(3), password: 'lantern-quay-7' }, fonts)).toString('latin1');
    assert.match(locked, /\/Encrypt/);
    assert.match(locked, /\/CFM \/AESV3/);
    assert.ok(open.includes('(Punctuality: Overview)'), 'the open one says its title');
    assert.ok(!locked.includes('Punctuality'), 'the locked one does not');
  });
});

describe('renderPdf', () => {
  it('gives equal bytes for equal scenes', async () => {
    const [one, two] = [await renderPdf(scene(10), fonts), await renderPdf(scene(10), fonts)];
    assert.equal(one.subarray(0, 5).toString(), '%PDF-');
    assert.ok(one.equals(two));
  });

  it('does not depend on what was printed before', async () => {
    await renderPdf(scene(3), fonts);
    const [later, first] = [await renderPdf(scene(40), fonts), await renderPdf(scene(40), parseFonts(files))];
    assert.ok(later.equals(first), 'words that are known already are set the same');
  });

  it('flows a table over as many sheets as it needs', async () => {
    assert.equal(sheets(await renderPdf(scene(5), fonts)), 1);
    assert.equal(sheets(await renderPdf(scene(120), fonts)), 3);
  });

  it('refuses to leave a figure out', async () => {
    const without = { ...scene(1), results: new Map() };
    await assert.rejects(renderPdf(without, fonts), /has no result/);
  });
});

describe('bandsOf', () => {
  it('puts figures that stand beside each other together and lets tables flow', () => {
    assert.deepEqual(
      bandsOf(scene(1).page).map((band) => band.figures.map((one) => one.name)),
      [['all'], ['by-route'], ['rows']],
    );
  });
});

describe('charts', () => {
  it('draw the same option for print and screen', () => {
    const svg = chartSvg(bar, bars, { theme: light, taste, width: 400, height: 200 });
    // Where a name with a digit has no quotes, a browser takes no word of it and draws serifs.
    for (const [, family] of svg.matchAll(/font-family[:=]"?([^";]+)/g))
      assert.match(family!, /^'Source Sans 3', ?sans-serif$/);
    assert.match(svg, /font-family/);
    assert.match(svg, /Ostle – Zoë/);
    assert.match(svg, /1,200/);
    assert.match(svg, /#0072B2/i);
  });

  it('cut no name beside free space, in whatever letters it is', () => {
    const names = ['Börånö Øst', 'Ostle – Zoë', 'Κέλνταν', 'Łódź Wieś'];
    const rows = names.map((name, i) => [name, 1200 + i]);
    const svg = chartSvg(bar, { ...bars, rows }, { theme: light, taste, width: 260, height: 200 });
    for (const name of names) assert.ok(svg.includes(`>${name}<`), name);
    assert.doesNotMatch(svg, /\.\.\./);
  });

  it('fade what is not picked', () => {
    const option = chartOption(bar, bars, { theme: light, taste, width: 400, height: 200, picked: ['Κέλνταν'] }) as {
      series: { data: { name: string; itemStyle: { color: string } }[] }[];
    };
    const colours = new Map(option.series[0]!.data.map((one) => [one.name, one.itemStyle.color]));
    assert.equal(colours.get('Ostle – Zoë'), light.faded);
    assert.notEqual(colours.get('Κέλνταν'), light.faded);
  });
});

describe('formats', () => {
  it("follow Unicode number patterns and the reader's language", () => {
    assert.equal(formatNumber(1234.5, '#,##0.00', 'en-GB'), '1,234.50');
    assert.equal(formatNumber(1234.5, '#,##0.00', 'de-DE'), '1.234,50');
    assert.equal(formatNumber(0.8125, '0.0 %', 'en-GB'), '81.3 %');
    assert.equal(formatNumber(12, undefined, 'en-GB'), '12');
  });

  it('show what is missing as a dash', () => {
    assert.equal(formatCell(null, { type: 'number' }, taste), '–');
    assert.equal(formatCell('2026-10-01', { type: 'date' }, taste), '1 Oct 2026');
  });
});
