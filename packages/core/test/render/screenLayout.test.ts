import assert from 'node:assert/strict';
import { createRequire } from 'node:module';
import { describe, it } from 'node:test';
import { SaxesParser } from 'saxes';
import {
  drawWall,
  pictureTop,
  sheetsOn,
  wallOverSvg,
  wallPageSvg,
  wallWordsSvg,
  type WallPage,
} from '../../src/render/index.ts';
import type { Figure, FigureResult } from '../../src/report/index.ts';

const { resolve } = createRequire(import.meta.resolve('../../src/render/index.ts'));
const fonts = ['400Regular/SourceSans3_400Regular.ttf', '600SemiBold/SourceSans3_600SemiBold.ttf'].map((file) =>
  resolve(`@expo-google-fonts/source-sans-3/${file}`),
);
const across = { width: 1920, height: 1080 };
const upright = { width: 1080, height: 1920 };
const sly = '<script>alert("&")</script>';

const rows: FigureResult = {
  columns: [{ name: 'route', label: `Route ${sly}`, type: 'text', role: 'cell' }],
  rows: Array.from({ length: 60 }, (_, i) => [`Row ${i} ${sly}`]),
};
const table = (row: number, height = 10): Figure => ({
  kind: 'table',
  name: `rows-${row}`,
  title: `Rows ${sly}`,
  columns: ['route'],
  at: { column: 1, row, width: 12, height },
});
const page = (figures: Figure[], change: Partial<WallPage> = {}): WallPage => ({
  title: `Harbour ${sly}`,
  figures,
  results: new Map(figures.map((one) => [one.name, rows])),
  taste: { locale: 'en-GB', timeZone: 'UTC' },
  parameters: {},
  limits: [`Quay is ${sly}`],
  ...change,
});

/** Every text of a drawing; it is read as strictly as any browser does. */
function textsIn(svg: string): string[] {
  const found: string[] = [];
  const names = new Set<string>();
  const parser = new SaxesParser({ xmlns: true });
  parser.on('opentag', ({ local }) => void names.add(local));
  parser.on('text', (text) => text.trim() && found.push(text));
  parser.write(svg).close();
  assert.ok(!names.has('script') && !names.has('foreignObject'));
  return found;
}

describe('a wall that the service draws', () => {
  it('has its title, what limits it, its figures and its age, and nothing in it runs', () => {
    const svg = wallPageSvg(page([table(1)]), 0, across, { age: { words: 'as of 14:05', isWorrying: false } });
    const texts = textsIn(svg);
    for (const part of ['Harbour', 'Quay is', 'Rows', 'Row 0', 'as of 14:05', 'more rows in the report'])
      assert.ok(
        texts.some((one) => one.includes(part)),
        `${part} in ${texts.join(' | ')}`,
      );
    assert.ok(!texts.some((one) => one.includes('Row 59')), 'nothing scrolls on a wall');
  });

  it('says loudly when it is old, and its name where it is told to', () => {
    const calm = wallWordsSvg({ text: 'Welcome' }, across, { age: { words: 'as of 14:05', isWorrying: false } });
    const loud = wallWordsSvg({ text: 'Welcome' }, across, {
      age: { words: 'as of 14:05, 3 hours old', isWorrying: true },
      name: 'Sallow Pier · quay-q017',
    });
    assert.ok(textsIn(loud).includes('as of 14:05, 3 hours old'));
    assert.ok(textsIn(loud).includes('Sallow Pier · quay-q017'));
    assert.equal((loud.match(/<rect/g) ?? []).length, (calm.match(/<rect/g) ?? []).length + 1);
  });

  it('is as many sheets as the wall needs, each with figures of its own', () => {
    const long = page([table(1), table(11), table(21), table(31)]);
    assert.equal(sheetsOn(long, across), 4);
    assert.ok(sheetsOn(long, upright) < 4);
    assert.equal(sheetsOn(page([]), across), 1, 'an empty page is one');
    const sheets = [0, 1, 2, 3].map((at) => wallPageSvg(long, at, across, {}));
    assert.equal(new Set(sheets).size, 1, 'four equal tables look alike');
    const other = page([table(1), { ...table(11), title: 'Second' }]);
    assert.ok(textsIn(wallPageSvg(other, 1, across, {})).some((one) => one.includes('Second')));
    assert.equal(wallPageSvg(other, 9, across, {}), wallPageSvg(other, 1, across, {}), 'past the last it is the last');
  });

  it('breaks words into lines, and keeps those that are given', () => {
    const long = wallWordsSvg({ text: 'Mind the step '.repeat(20), title: 'Take care' }, across, {});
    const lines = textsIn(long);
    assert.ok(lines.length > 4 && lines[0] === 'Take care');
    assert.deepEqual(textsIn(wallWordsSvg({ text: 'One\nTwo' }, upright, {})), ['One', 'Two']);
  });

  it('leaves a picture the room below its title', () => {
    assert.equal(pictureTop(undefined, across), 0);
    const top = pictureTop('Map', across);
    assert.ok(top > 60 && top < 200);
    assert.ok(textsIn(wallOverSvg('Map', across, {})).includes('Map'));
    assert.deepEqual(textsIn(wallOverSvg(undefined, across, {})), []);
  });

  it('is a PNG of the size asked for', async () => {
    for (const size of [across, upright, { width: 320, height: 240 }]) {
      const png = await drawWall(wallPageSvg(page([table(1)]), 0, size, {}), fonts);
      assert.equal(png.subarray(1, 4).toString(), 'PNG');
      assert.deepEqual([png.readUInt32BE(16), png.readUInt32BE(20)], [size.width, size.height]);
    }
  });
});
