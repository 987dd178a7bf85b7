import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { BrowserContext, FrameLocator, Page } from 'playwright-core';
import { administrator, publisher } from '../packages/service/test/house.ts';
import { WorksHouse, worksPorts } from '../packages/service/test/app/worksHouse.ts';
import { findings } from './accessible.ts';
import { BrowserHouse, password } from './browserHouse.ts';

describe('a business app, in a browser', () => {
  let stand: BrowserHouse;
  let works: WorksHouse;
  let context: BrowserContext;
  let page: Page;
  let report: FrameLocator;
  let panel: FrameLocator;

  before(async () => {
    const { port, options } = await worksPorts();
    stand = await BrowserHouse.open(options);
    works = await WorksHouse.open(stand.house, port);
    await fresh();
  });
  after(async () => {
    await works.close();
    await stand.close();
  });

  /** Somebody else at the machine: nobody is signed in anywhere. */
  async function fresh(): Promise<void> {
    await context?.close();
    page = await stand.page();
    context = page.context();
    report = page.frameLocator('under-bell iframe');
    panel = page.frameLocator('#panel');
  }
  async function enter(name: string, path: string): Promise<void> {
    await page.goto(`${works.url}/sign-in?to=${encodeURIComponent(path)}`);
    await page.getByRole('button', { name }).click();
    await page.waitForURL(`${works.url}${path}`);
  }
  const inside = (part: string) => page.frames().find((one) => one.url().includes(part))! as unknown as Page;
  const turn = async (action: 'enable' | 'disable') => {
    const answer = await stand.house.call('POST', `/api/v1/apps/works/${action}`, { as: administrator });
    assert.equal(answer.status, 200, answer.text);
  };

  it('shows a record’s report by the person’s ID token, and the side panel without a second sign-in', async () => {
    await enter('Ines Holt', '/quays/Q008');
    await report.getByText('Quay is Q008').waitFor();
    await report.getByText('District is Hervane Sound').waitFor();
    await panel.getByText('Quay is Q008').waitFor();
    const cookies = await context.cookies(stand.house.url);
    assert.ok(
      cookies.some((one) => one.name.startsWith('underbell_session_')),
      cookies.map((one) => one.name).join(),
    );
    assert.deepEqual(await findings(inside('/a/works/panel')), []);
  });

  it('follows the record: neither frame is loaded anew, and what the reader picked stays', async () => {
    await report.locator('figure, .figure').first().waitFor();
    const frames = [inside('/v/quay-record'), inside('/a/works/panel')];
    for (const one of frames) await one.evaluate(() => ((globalThis as { isSame?: true }).isSame = true));
    await page.locator('#quay').selectOption('Q020');
    await report.getByText('Quay is Q020').waitFor();
    await panel.getByText('Quay is Q020').waitFor();
    for (const one of frames) assert.equal(await one.evaluate(() => (globalThis as { isSame?: true }).isSame), true);
    // Quick changes: only what was chosen last is shown, however late the others answer.
    for (const quay of ['Q008', 'Q014', 'Q008', 'Q020', 'Q008']) await page.locator('#quay').selectOption(quay);
    await report.getByText('Quay is Q008').waitFor();
    await page.waitForTimeout(800);
    assert.equal(await report.getByText('Quay is Q008').count(), 1);
  });

  it('shows nothing of a record without a number, and says why; an empty page of one without rows', async () => {
    await page.goto(`${works.url}/quays/new`);
    await report.getByText('Record incomplete').waitFor();
    await panel.getByText('Record incomplete').waitFor();
    await page.locator('#quay').selectOption('Q001');
    // Of another district: the person's own rows leave none.
    await report.getByText('No sailings yet.').first().waitFor();
  });

  it('keeps record and page in full, and asks for nothing again', async () => {
    await page.goto(`${works.url}/quays/Q008`);
    await report.getByText('Quay is Q008').waitFor();
    await report.getByRole('button', { name: 'Share and export' }).click();
    const [full] = await Promise.all([
      context.waitForEvent('page'),
      report.getByRole('menuitem', { name: 'Open full page' }).click(),
    ]);
    await full.getByText('Quay is Q008').waitFor();
    assert.match(full.url(), /record=quay%3AQ008/);
    assert.equal(await full.getByText('Sign in').count(), 0);
    assert.ok(!full.url().includes('token'));
    await full.close();
  });

  it('has several figures follow one drop-down', async () => {
    await page.goto(`${works.url}/kinds`);
    const figures = [0, 1].map((i) => page.locator('under-bell').nth(i).locator('iframe').contentFrame());
    for (const one of figures) await one.getByText('Live data').waitFor();
    await page.locator('#kind').selectOption('ramp');
    for (const one of figures) await one.getByText('Kind is ramp').waitFor();
  });

  it('remembers a side panel’s choice, order and last report', async () => {
    await page.goto(`${works.url}/quays/Q008`);
    await panel.getByRole('button', { name: 'Select reports' }).click();
    await panel.getByRole('button', { name: 'Hide: Takings of this quay' }).click();
    await panel.getByRole('button', { name: 'Move down: Punctuality of this quay' }).click();
    await panel.getByRole('button', { name: 'Save' }).click();
    await panel.getByRole('button', { name: 'Next' }).click();
    await panel.getByText('Cost of works by the month they start').waitFor();
    await page.reload();
    await panel.getByText('Cost of works by the month they start').waitFor();
    assert.deepEqual(await panel.locator('option').allTextContents(), [
      'Works on this quay',
      'Punctuality of this quay',
    ]);
  });

  it('works at 280 pixels', async () => {
    const narrow = await stand.page(publisher, { viewport: { width: 280, height: 700 } });
    await narrow.goto(`${stand.house.url}/a/works/panel?record=quay:Q017`);
    await narrow.getByText('Quay is Q017').waitFor();
    const wide = await narrow.evaluate(() => document.documentElement.scrollWidth);
    assert.ok(wide <= 280, `${wide} px`);
    await narrow.context().close();
  });

  it('has pages of figures and own charts, made, shared and clicked through', async () => {
    await page.goto(`${works.url}/pages`);
    const pages = page.frameLocator('iframe[title="Pages"]');
    await pages.getByText('Departed on time, by day').waitFor();
    await pages.frameLocator('iframe[title^="Berths by district"]').getByText('Hervane Sound').waitFor();
    await pages.getByRole('button', { name: 'Create page' }).click();
    await pages.getByLabel('Title').fill('Takings and quays');
    await pages.getByLabel('Search').fill('takings');
    await pages.getByRole('button', { name: /^Add: Kiosk takings by day/ }).click();
    await pages.getByLabel('Search').fill('winter');
    await pages.getByRole('button', { name: /^Add: Quays closed/ }).click();
    assert.deepEqual(await findings(inside('/a/works/pages')), []);
    await pages.getByRole('button', { name: 'Save', exact: true }).click();
    await pages.getByRole('heading', { name: 'Takings and quays' }).waitFor();
    await pages.getByRole('button', { name: 'Share …' }).click();
    await pages.getByLabel('Email').fill('tobias.wren@skerrow.example');
    await pages.getByRole('button', { name: 'Share', exact: true }).click();
    await pages.getByText('Shared with tobias.wren@skerrow.example').waitFor();
    // A colleague sees it under their own rows.
    await fresh();
    await enter('Tobias Wren', '/pages');
    const theirs = page.frameLocator('iframe[title="Pages"]');
    await theirs.getByRole('heading', { name: 'Takings and quays' }).waitFor();
    await theirs.getByText(/District is (?!Hervane Sound)/).waitFor();
    assert.equal(await theirs.getByRole('button', { name: 'Edit' }).count(), 0);
  });

  it('shows each company what that chose', async () => {
    await fresh();
    await enter('Sela Marrin', '/quays/Q011');
    await report.getByRole('heading', { name: 'Works on this quay' }).waitFor();
    // What another company works on is no record of theirs, whatever they ask for.
    const answers = await page.evaluate(async () => {
      const asked = ['quay=Q001', 'quay=Q001&company=ferries', 'quay=Q011&company=ferries'];
      return Promise.all(
        asked.map(async (words) => (await fetch(`/report-token?placement=quay-record&${words}`)).status),
      );
    });
    assert.deepEqual(answers, [403, 403, 200]);
  });

  it('is put into a page by a frame alone', async () => {
    await page.goto(`${works.url}/plain/Q011`);
    const frame = page.frameLocator('iframe.whole');
    // The standard of the place: that of their company is shown where the app's server says which that is.
    await frame.getByRole('heading', { name: 'Punctuality of this quay' }).waitFor();
    await frame.getByText('Quay is Q011').waitFor();
    await page.goto(`${works.url}/plain/Q011`);
    const address = await page.locator('iframe.whole').getAttribute('src');
    await page
      .locator('iframe.whole')
      .evaluate((one, src) => one.setAttribute('src', src), `${address}&record=company:trust`);
    await frame.getByRole('heading', { name: 'Punctuality of this quay' }).waitFor();
  });

  it('is dark within two seconds when an administrator switches it off', async () => {
    await page.goto(`${works.url}/quays/Q011`);
    await report.getByText('Quay is Q011').waitFor();
    // The stream has to be there before anything can be told by it.
    await page.waitForTimeout(500);
    await turn('disable');
    const since = Date.now();
    await report.getByRole('heading', { name: 'App disabled' }).waitFor();
    const took = Date.now() - since;
    assert.ok(took < 10_000, `${took} ms`);
    // Opened anew, both say so.
    await page.reload();
    for (const one of [report, panel]) await one.getByRole('heading', { name: 'App disabled' }).waitFor();
    await turn('enable');
  });

  it('has its record tried in the console, in three positions, and the unfiltered one is never saved', async () => {
    await fresh();
    await page.request.post(`${stand.house.url}/api/v1/session`, { data: { email: publisher, password } });
    await page.goto(`${stand.house.url}/console/placements/quay-record/record`);
    await page.getByText('Record incomplete').or(page.getByText('Not shown:')).first().waitFor();
    await page.getByLabel('quay', { exact: true }).last().fill('q017');
    await page.getByRole('button', { name: 'Q017' }).click();
    await page.getByRole('cell', { name: 'quay is Q017' }).waitFor();
    await page.getByText('1 Everything').click();
    await page.getByText('All rows are shown here only; this is never saved.').waitFor();
    assert.ok(await page.getByRole('button', { name: 'Save' }).isDisabled());
    await page.getByText('2 Fixed record').click();
    await page.getByRole('button', { name: 'Save for this record' }).waitFor();
    await page.getByRole('cell', { name: 'quay is Q017' }).waitFor();
    assert.deepEqual(await findings(page), []);
    const saved = await stand.house.call('GET', '/api/v1/placements/quay-record', { as: publisher });
    assert.deepEqual((saved.body as unknown as { where: object }).where, { sailings: "quay_id = record('quay')" });
  });

  it('has its companies’ choices made and had back in the console', async () => {
    await page.goto(`${stand.house.url}/console/apps/works`);
    await page.getByLabel('Company').fill('ferries');
    await page.getByLabel('Variant').selectOption('quay-takings');
    await page.getByRole('button', { name: 'Preview', exact: true }).click();
    await page.getByLabel('Sample record field quay').fill('Q017');
    await page.getByRole('button', { name: 'Preview', exact: true }).click();
    await page.getByText('Preview: Takings of this quay for ferries').waitFor();
    await page.getByRole('button', { name: 'Use for this company' }).click();
    await page.getByText('ferries: Takings of this quay').waitFor();
    assert.deepEqual(await findings(page), []);
    await page.setViewportSize({ width: 400, height: 800 });
    const wide = await page.evaluate(() => document.documentElement.scrollWidth);
    assert.ok(wide <= 400, `${wide} px`);
  });
});
