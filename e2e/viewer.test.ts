import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { Locator, Page } from 'playwright-core';
import { manager, publisher, type House } from '../packages/service/test/house.ts';
import { BrowserHouse } from './browserHouse.ts';

describe('the viewer', () => {
  let stand: BrowserHouse;
  let house: House;
  let page: Page;
  before(async () => {
    stand = await BrowserHouse.open();
    ({ house } = stand);
  });
  after(() => stand.close());
  async function open(path: string, as = publisher): Promise<void> {
    await page?.context().close();
    page = await stand.page(as, {
      viewport: { width: 1280, height: 900 },
      locale: 'en-GB',
      reducedMotion: 'reduce',
      acceptDownloads: true,
    });
    await page.goto(`${house.url}${path}`);
    await page.locator('section.figure').first().waitFor();
  }
  const figure = (name: string): Locator => page.locator(`section.figure[aria-label="${name}"]`);
  const value = (name: string) => figure(name).locator('.value').innerText();
  const settled = () => page.locator('main.grid[aria-busy="false"]').waitFor();

  it('filters the page by a picked mark, several with Ctrl, all by keyboard, and says so', async () => {
    await open('/r/punctuality');
    const whole = await value('Passengers');
    const marks = figure('Departed on time, by district').locator('.marks button');
    await marks.first().focus();
    await page.keyboard.press('Enter');
    await page.locator('button.own', { hasText: 'District is' }).waitFor();
    await settled();
    const one = await value('Passengers');
    assert.notEqual(one, whole);
    await marks.nth(1).click({ modifiers: ['Control'], force: true });
    await page.locator('button.own', { hasText: 'District is one of' }).waitFor();
    await settled();
    assert.notEqual(await value('Passengers'), one);
    await page.locator('button.own', { hasText: 'District is one of' }).click();
    await page.locator('button.own', { hasText: 'District' }).waitFor({ state: 'detached' });
    await settled();
    assert.equal(await value('Passengers'), whole);
  });

  it('opens a district for its quays and goes back', async () => {
    await open('/r/punctuality');
    const chart = figure('Departed on time, by district');
    await chart.getByRole('radio', { name: 'drill down' }).check();
    await chart.locator('.marks button').first().focus();
    await page.keyboard.press('Enter');
    await chart.locator('nav.path').waitFor();
    await settled();
    assert.ok((await chart.locator('.marks button').count()) > 1);
    await chart.getByRole('button', { name: 'All' }).click();
    await chart.locator('nav.path').waitFor({ state: 'detached' });
  });

  it('carries filters along a link to another page, and in the address', async () => {
    await open('/r/punctuality');
    await figure('Departed on time, by district').locator('.marks button').first().focus();
    await page.keyboard.press('Enter');
    await page.locator('button.own', { hasText: 'District is' }).waitFor();
    await settled();
    await figure('Departed on time, by district').getByRole('button', { name: 'Vessels →' }).click();
    await figure('Delay against passengers, by vessel').waitFor();
    await page.locator('button.own', { hasText: 'District is' }).waitFor();
    const address = new URL(page.url());
    assert.match(address.searchParams.get('where') ?? '', /^district = /);
    await page.reload();
    await page.locator('button.own', { hasText: 'District is' }).waitFor();
  });

  it('takes a filter in the reader’s own words, completed, and explains a wrong one without losing the page', async () => {
    await open('/r/punctuality');
    const whole = await value('Passengers');
    await page.getByRole('button', { name: 'Filter', exact: true }).click();
    const input = page.getByRole('combobox', { name: 'Filter' });
    await input.pressSequentially('vess');
    await page.getByRole('option', { name: /Vessel/ }).waitFor();
    await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Enter');
    assert.match(await input.inputValue(), /^vessel $/);
    await input.pressSequentially("= 'Tern");
    await page.getByRole('option', { name: /Tern Light/ }).click();
    assert.equal(await input.inputValue(), "vessel = 'Tern Light'");
    await input.fill("vesel = 'Tern Light'");
    await page.getByRole('button', { name: 'Apply' }).click();
    await page.getByRole('alert').filter({ hasText: 'Did you mean “vessel”?' }).waitFor();
    assert.equal(await value('Passengers'), whole);
    await input.fill("vessel = 'Tern Light'");
    await page.getByRole('button', { name: 'Apply' }).click();
    await page.locator('button.own', { hasText: 'Vessel is Tern Light' }).waitFor();
    assert.notEqual(await value('Passengers'), whole);
  });

  it('lets the reader choose a period and a district', async () => {
    await open('/r/punctuality');
    await figure('Period').getByLabel('From').fill('2026-09-14');
    await figure('Period').getByLabel('to', { exact: true }).fill('2026-09-20');
    await page.locator('button.own', { hasText: 'Sept' }).waitFor();
    await figure('District').getByLabel('Northing').click();
    await page.locator('button.own', { hasText: 'District: Northing' }).waitFor();
    await settled();
    assert.match(await figure('Summary').innerText(), /14.*20 Sept? 2026/);
    await page.locator('button.own', { hasText: 'Period' }).click();
    await page.locator('button.own', { hasText: 'Period' }).waitFor({ state: 'detached' });
    assert.match(page.url(), /without=period/);
  });

  it('scrolls through every sailing, and sorts them, fetching what is seen', async () => {
    await open('/r/punctuality?page=sailings');
    const table = figure('Sailings');
    await table.getByText(/\d[\d,]* rows/).waitFor();
    const asked: string[] = [];
    page.on('request', (request) => request.url().endsWith('/rows') && asked.push(request.url()));
    await table.locator('.scroll').evaluate((box) => (box.scrollTop = box.scrollHeight / 2));
    await table.locator('tbody tr[aria-rowindex] td').nth(3).waitFor();
    await page.waitForFunction(() => !document.querySelector('.coming'));
    assert.ok(asked.length > 0);
    assert.ok((await table.locator('tbody tr').count()) < 80);
    await table.getByRole('button', { name: 'Passengers' }).click();
    await table.getByRole('button', { name: 'Passengers' }).click();
    await table.locator('th[aria-sort="descending"]').waitFor();
    await page.waitForFunction(() => !document.querySelector('.coming'));
    const cells = await table.locator('tbody tr[aria-rowindex] td:nth-child(6)').allInnerTexts();
    const numbers = cells.slice(0, 10).map(Number);
    assert.deepEqual(
      numbers,
      [...numbers].sort((a, b) => b - a),
    );
    const head = table.locator('th').first();
    const width = (await head.boundingBox())!.width;
    await head.getByRole('button').focus();
    for (let i = 0; i < 4; i++) await page.keyboard.press('Alt+ArrowRight');
    assert.ok((await head.boundingBox())!.width > width + 30);
  });

  it('shows the rows of a chart, enlarges it, and saves it where that is allowed', async () => {
    await open('/r/punctuality');
    const name = 'Departed on time, by district';
    const close = async (title: string) => {
      await page.getByRole('dialog', { name: title, exact: true }).waitFor();
      await page.keyboard.press('Escape');
      await page.getByRole('dialog').waitFor({ state: 'detached' });
    };
    await page.getByRole('button', { name: `Rows of ${name}` }).click();
    await page
      .getByRole('dialog')
      .getByRole('region', { name: `${name}, table` })
      .waitFor();
    await close(`${name}, rows`);
    await page.getByRole('button', { name: `Enlarge ${name}` }).click();
    await close(name);
    const download = page.waitForEvent('download');
    const save = () => page.getByRole('button', { name: `Export ${name}` });
    await save().click();
    await page.getByRole('menuitem', { name: 'Export as CSV' }).click();
    assert.equal((await download).suggestedFilename(), 'punctuality-overview-by-district.csv');
    await open('/r/punctuality', manager);
    await page.getByRole('button', { name: `Rows of ${name}` }).waitFor();
    assert.equal(await save().count(), 0);
  });

  it('follows a new edition and new data in place, keeping the reader’s filters', async () => {
    await open('/r/takings?where=district%20%3D%20%27Northing%27');
    const { definition } = (await house.call('GET', '/api/v1/reports/takings', { as: publisher })).body as unknown as {
      definition: { pages: { figures: { title: string }[] }[] };
    };
    definition.pages[0]!.figures[0]!.title = 'Takings of the kiosks';
    assert.equal((await house.call('POST', '/api/v1/reports', { as: publisher, body: { definition } })).status, 201);
    await figure('Takings of the kiosks').waitFor();
    await page.locator('button.own', { hasText: 'District is Northing' }).waitFor();
    assert.match(page.url(), /where=/);
  });

  it('keeps what it shows while the service is away, and says so', async () => {
    await open('/r/takings');
    await page.context().setOffline(true);
    await page.getByText('You are offline').waitFor();
    assert.ok(await figure('By district and quay').isVisible());
    await page.context().setOffline(false);
    await page.getByText('You are offline').waitFor({ state: 'detached' });
  });

  it('says in words why there is nothing', async () => {
    await open('/r/punctuality?quay=Q052&period=2020');
    await page.getByText('No sailings for Period 2020, Quay Q052.').first().waitFor();
  });

  it('shows a board in its own colours, each figure leading to where it comes from', async () => {
    await open('/b/harbour');
    const link = figure('Mean delay by vessel').getByRole('link');
    assert.match((await link.getAttribute('href')) ?? '', /^\/r\/punctuality\?page=vessels/);
    assert.equal(await page.evaluate(() => getComputedStyle(document.body).backgroundColor), 'rgb(243, 239, 228)');
  });

  it('lets a board be arranged by keyboard', async () => {
    await open('/b/harbour');
    await page.goto(`${house.url}/console/boards/harbour`);
    const box = page.getByRole('button', { name: /^Works on berths/ });
    await box.focus();
    await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Shift+ArrowUp');
    await page.getByRole('button', { name: 'Save' }).click();
    await page.waitForFunction(() => document.querySelector<HTMLButtonElement>('.ant-btn-primary')?.disabled);
    const { definition } = (await house.call('GET', '/api/v1/boards/harbour', { as: publisher })).body as unknown as {
      definition: { figures: { name: string; at: object }[] };
    };
    assert.deepEqual(definition.figures.find((one) => one.name === 'works')!.at, {
      column: 9,
      row: 2,
      width: 4,
      height: 2,
    });
  });
});
