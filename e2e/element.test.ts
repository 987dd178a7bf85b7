import assert from 'node:assert/strict';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import ts from 'typescript';
import type { Page } from 'playwright-core';
import { publisher } from '../packages/service/test/house.ts';
import { BrowserHouse } from './browserHouse.ts';

describe('the element for whoever writes a host', () => {
  let stand: BrowserHouse;
  before(async () => {
    stand = await BrowserHouse.open();
  });
  after(() => stand.close());

  it('has types by which a host’s own compiler finds mistakes', async () => {
    const answer = await fetch(`${stand.house.url}/element.d.ts`);
    assert.equal(answer.status, 200);
    assert.equal(answer.headers.get('Access-Control-Allow-Origin'), '*');
    const folder = mkdtempSync(join(tmpdir(), 'element-'));
    writeFileSync(join(folder, 'element.d.ts'), await answer.text());
    const mistakes = (code: string) => {
      const file = join(folder, 'host.ts');
      writeFileSync(file, `import type {} from './element.js';\n${code}`);
      const options = {
        noEmit: true,
        strict: true,
        lib: ['lib.es2023.d.ts', 'lib.dom.d.ts'],
        module: ts.ModuleKind.ESNext,
        moduleResolution: ts.ModuleResolutionKind.Bundler,
        types: [],
      };
      return ts.getPreEmitDiagnostics(ts.createProgram([file], options)).map((one) => one.code);
    };
    const place = "const place = document.querySelector('under-bell')!;\n";
    const good = `${place}place.addEventListener('selection', ({ detail }) => detail.figure.trim());
place.addEventListener('click', (event) => event.clientX);
place.record = { quay: 'Q018' };
place.filter = null;
void place.refresh();`;
    assert.deepEqual(mistakes(good), []);
    assert.deepEqual(mistakes(`${place}place.record = { quay: 18 };`), [2322]);
    assert.deepEqual(mistakes(`${place}place.addEventListener('ready', ({ detail }) => detail.pages);`), [2551]);
    rmSync(folder, { recursive: true });
  });

  it('is tried out in the console: what is set shows, what it tells is listed, nothing is loaded anew', async () => {
    const page: Page = await stand.page(publisher);
    await page.goto(`${stand.house.url}/console/placements/quay-page/element`);
    const frame = page.locator('.place under-bell iframe').first().contentFrame();
    await frame.locator('section.figure').first().waitFor();
    await page.getByText('"page":"overview"').first().waitFor();
    const documents: string[] = [];
    page.on('request', (request) => {
      if (request.resourceType() === 'document') documents.push(request.url());
    });
    await page.getByLabel('filter').fill('cancelled = FALSE');
    await frame.getByText('Cancelled is no').waitFor();
    assert.deepEqual(documents, []);
    await page.getByLabel('filter').fill('no_such = 1');
    await page.getByText('FILTER_UNKNOWN_COLUMN').first().waitFor();
    await page.getByLabel('filter').fill('');
    await page.getByLabel('Number of elements').fill('3');
    await page
      .locator('.place under-bell')
      .nth(2)
      .locator('iframe')
      .contentFrame()
      .locator('section.figure')
      .first()
      .waitFor();
    assert.match((await page.locator('pre').textContent())!, /<under-bell src="[^"]+\/v\/quay-page"/);
  });

  it('follows a record also where nobody hands out tokens: the reader’s own rights decide', async () => {
    const body = {
      kind: 'app',
      title: 'This quay',
      report: 'quay-punctuality',
      where: { sailings: "quay_id = record('quay')" },
    };
    const saved = await stand.house.call('PUT', '/api/v1/placements/this-quay', { as: publisher, body });
    assert.equal(saved.status, 200, saved.text);
    const page: Page = await stand.page(publisher);
    await page.goto(`${stand.house.url}/console/placements/this-quay/element`);
    const frame = page.locator('.place under-bell iframe').first().contentFrame();
    await frame.getByText('Record incomplete').waitFor();
    const documents: string[] = [];
    page.on('request', (request) => {
      if (request.resourceType() === 'document') documents.push(request.url());
    });
    for (const quay of ['Q017', 'Q008', 'Q017']) {
      await page.getByLabel('record').fill(JSON.stringify({ quay }));
      await frame.getByText(`Quay is ${quay}`).waitFor();
    }
    assert.deepEqual(documents, [], 'the frame stays');
    await page.getByLabel('record').fill('{ "Quay": "Q017" }');
    await frame.getByText('The record has no field “quay”').waitFor();
  });
});
