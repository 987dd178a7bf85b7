import assert from 'node:assert/strict';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, describe, it } from 'node:test';
import { SaxesParser } from 'saxes';
import { checkDrawing } from '../../src/media/index.ts';
import { isRefusal } from '../../src/refusal/index.ts';
import { redrawSvg } from '../../src/render/index.ts';

const svg = (inside: string, root = '') =>
  `<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100 50" ${root}>${inside}</svg>`;
const { resolve } = createRequire(import.meta.resolve('../../src/render/index.ts'));
const fonts = [resolve('@expo-google-fonts/source-sans-3/400Regular/SourceSans3_400Regular.ttf')];
const folder = mkdtempSync(join(tmpdir(), 'underbell-drawing-'));
/** One red pixel: whoever draws it in has read it from the disk. */
const pixel = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8z8BQDwAEhQGAhKmMIQAAAABJRU5ErkJggg==';
const secret = join(folder, 'secret.png');
writeFileSync(secret, Buffer.from(pixel, 'base64'));

describe('a drawing that came in', () => {
  after(() => rmSync(folder, { recursive: true }));

  it('is refused with whatever it would fetch, from the network or from the disk', () => {
    const wrong = [
      svg(`<image href="${secret}" width="5" height="5"/>`),
      svg(`<image xlink:href="file://${secret}" width="5" height="5"/>`),
      svg('<image href="https://elsewhere.example/a.png" width="5" height="5"/>'),
      svg('<image href=" //elsewhere.example/a.png " width="5" height="5"/>'),
      svg('<use href="other.svg#part"/>'),
      svg(`<filter id="f"><feImage href="${secret}"/></filter>`),
      svg('<image href="data:image/svg+xml;base64,PHN2Zy8+" width="5" height="5"/>'),
      svg('<image href="data:text/html,hello" width="5" height="5"/>'),
      `<svg xmlns="http://www.w3.org/2000/svg" xmlns:q="http://www.w3.org/1999/xlink"><image q:href="a.png"/></svg>`,
      '<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/hostname">]><svg xmlns="http://www.w3.org/2000/svg"><text>&a;</text></svg>',
      '<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg"/>',
      '<html xmlns="http://www.w3.org/1999/xhtml"><body/></html>',
      '<svg viewBox="0 0 1 1"/>',
      svg('<g>'.repeat(300) + '</g>'.repeat(300)),
      svg('<g>').slice(0, -3),
      '<svg xmlns="http://www.w3.org/2000/svg">',
      'no xml at all',
      '',
    ];
    for (const one of wrong)
      assert.throws(
        () => checkDrawing(one),
        (error) => isRefusal(error) && (error as { code: string }).code === 'MEDIA_INVALID',
        one.slice(0, 200),
      );
  });

  it('is drawn anew from shapes alone: nothing that acts is left, and its words are outlines', () => {
    const given = svg(
      `<style>@import url(https://elsewhere.example/x.css); rect { fill: red }</style>
       <script>alert(1)</script>
       <foreignObject width="9" height="9"><body xmlns="http://www.w3.org/1999/xhtml">hi</body></foreignObject>
       <a href="javascript:alert(1)"><rect width="10" height="10"/></a>
       <image href="data:image/png;base64,${pixel}" width="5" height="5"/>
       <text x="5" y="30" font-family="Unheard Of">Mind the step</text>
       <rect width="5" height="5" onclick="alert(1)"><animate attributeName="x" to="5" dur="1s"/></rect>`,
      'onload="alert(1)"',
    );
    checkDrawing(given);
    const made = redrawSvg(given, fonts);
    assert.deepEqual([made.width, made.height], [100, 50]);
    const names = new Set<string>();
    const attributes = new Set<string>();
    const parser = new SaxesParser({ xmlns: true });
    parser.on('opentag', (tag) => {
      names.add(tag.local);
      for (const [name, { value }] of Object.entries(tag.attributes)) {
        attributes.add(name);
        if (name.endsWith('href')) assert.match(value, /^data:image\/png;/);
      }
    });
    parser.write(made.svg).close();
    const known = ['svg', 'g', 'path', 'image', 'defs', 'linearGradient', 'stop', 'clipPath', 'mask', 'rect'];
    assert.deepEqual(
      [...names].filter((name) => !known.includes(name)),
      [],
    );
    assert.deepEqual(
      [...attributes].filter((name) => name.startsWith('on') || name === 'style'),
      [],
    );
    assert.doesNotMatch(made.svg, /alert|elsewhere|javascript|Mind the step/);
    // A drawing that it has made is one that may come in again.
    checkDrawing(made.svg);
  });

  it('would have been read from the disk, were it not looked at first', () => {
    // What keeps the check honest: without it the file of somebody else stands in the picture.
    assert.match(redrawSvg(svg(`<image href="${secret}" width="5" height="5"/>`), fonts).svg, /data:image\/png;base64/);
  });
});
