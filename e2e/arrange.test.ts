import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { Page } from 'playwright-core';
import { publisher } from '../packages/service/test/house.ts';
import { findings } from './accessible.ts';
import { BrowserHouse } from './browserHouse.ts';

interface Written {
  readonly title: string;
  readonly pages: readonly { readonly figures: readonly { name: string; title: string; at: { row: number } }[] }[];
}

describe('what is arranged as it is drawn', () => {
  let stand: BrowserHouse;
  let page: Page;
  before(async () => {
    stand = await BrowserHouse.open();
    page = await stand.page(publisher, { reducedMotion: 'reduce', bypassCSP: true });
  });
  after(() => stand.close());

  /** The text of the definition, as the browser keeps the draft. */
  const written = async (): Promise<string | null> =>
    page.evaluate(() => window.localStorage.getItem('underbell draft report quay-punctuality'));
  const box = (title: string) => page.locator(`.box[aria-label=${JSON.stringify(title)}]`);

  it('a report’s figures are moved by keyboard and by mouse, and nothing else of its text changes', async () => {
    await page.goto(`${stand.house.url}/console/reports/quay-punctuality/edit`);
    await page.locator('.cm-content').waitFor();
    const before = JSON.parse(
      (await (await page.request.get(`${stand.house.url}/api/v1/reports/quay-punctuality`)).text()) || '{}',
    ) as { definition: Written };
    await page.getByRole('button', { name: 'Form', exact: true }).click();
    await page.frameLocator('iframe').first().locator('section.figure').first().waitFor();
    assert.deepEqual(await findings(page), []);
    const table = before.definition.pages[0]!.figures.at(-1)!;
    await box(table.title).focus();
    await page.keyboard.press('ArrowDown');
    await page.waitForFunction(() => window.localStorage.getItem('underbell draft report quay-punctuality') !== null);
    const moved = JSON.parse((await written())!) as Written;
    assert.equal(moved.pages[0]!.figures.at(-1)!.at.row, table.at.row + 1);
    assert.match(
      (await page.locator('[aria-live=polite]').last().textContent())!,
      /row/,
      'it is said to who does not see it',
    );
    // Back by mouse: then the text is what it was, to the letter, and there is no draft any more.
    const place = (await box(table.title).boundingBox())!;
    const rowHeight = place.height / (before.definition.pages[0]!.figures.at(-1)!.at as { height?: number }).height!;
    await page.mouse.move(place.x + 40, place.y + 20);
    await page.mouse.down();
    await page.mouse.move(place.x + 40, place.y + 20 - rowHeight, { steps: 4 });
    await page.mouse.up();
    await page.waitForFunction(() => window.localStorage.getItem('underbell draft report quay-punctuality') === null);
  });

  it('a field of the form changes the same text, and the picture follows', async () => {
    await box('Departed on time, by route').focus();
    const title = page.getByLabel('Title', { exact: true }).first();
    await title.fill('On time, route by route');
    await title.press('Enter');
    await title.blur();
    await page.frameLocator('iframe').first().getByRole('heading', { name: 'On time, route by route' }).waitFor();
    assert.match((await written())!, /"title": "On time, route by route"/);
    await page.getByRole('button', { name: 'Print', exact: true }).click();
    await page.locator('iframe.paper').waitFor();
    await page.getByRole('button', { name: 'Text', exact: true }).click();
    await page.locator('.cm-content').waitFor();
    assert.match((await written())!, /"title": "On time, route by route"/, 'the same text');
  });

  it('a board shows its figures where they are moved to', async () => {
    await page.goto(`${stand.house.url}/console/boards/harbour`);
    const drawn = page.frameLocator('iframe').first();
    await drawn.locator('section.figure').first().waitFor();
    assert.deepEqual(await findings(page), []);
    const name = 'Mean delay by vessel';
    const top = async () => (await drawn.locator(`section[aria-label=${JSON.stringify(name)}]`).boundingBox())!.y;
    const before = await top();
    await box(name).focus();
    await page.keyboard.press('ArrowDown');
    await page.getByRole('button', { name: 'Save', exact: true }).first().waitFor();
    for (let i = 0; i < 300 && (await top()) === before; i++) await page.waitForTimeout(100);
    assert.ok((await top()) > before);
    await page.getByRole('button', { name: 'Save', exact: true }).first().click();
    const shown = await page.request.get(`${stand.house.url}/api/v1/boards/harbour`);
    assert.equal(((await shown.json()) as { version: number }).version >= 1, true);
  });
});
