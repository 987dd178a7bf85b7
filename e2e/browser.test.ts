import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { Page } from 'playwright-core';
import { board, manager, publisher, type House } from '../packages/service/test/house.ts';
import { BrowserHouse } from './browserHouse.ts';

describe('in a browser', () => {
  let stand: BrowserHouse;
  let house: House;
  let page: Page;
  before(async () => {
    stand = await BrowserHouse.open();
    ({ house } = stand);
  });
  after(() => stand.close());
  async function fresh(as?: string): Promise<Page> {
    await page?.context().close();
    page = await stand.page(as);
    return page;
  }

  it('a link that is pasted in the portal’s editor becomes a frame, in which one signs in', async () => {
    await fresh();
    await page.goto(`${house.portalUrl}/pages/notices/edit`);
    await page.getByLabel('Text').fill(`For everybody of the harbours.\n\n${house.url}/v/network-page`);
    await page.getByRole('button', { name: 'Save' }).click();
    const frame = page.frameLocator('iframe');
    await frame.getByText('Sign in to see this report').waitFor();
    await fresh(publisher);
    await page.goto(`${house.portalUrl}/pages/notices`);
    // Portal and service are one site here: whoever is signed in sees what is theirs at once.
    await page.frameLocator('iframe').locator('section.number').first().waitFor();
  });

  it('the portal shows one quay, and the rest of the page answers a picked bar', async () => {
    await fresh();
    const addresses: string[] = [];
    page.on('request', (request) => addresses.push(request.url()));
    await page.goto(`${house.portalUrl}/quay/Q017`);
    const frame = page.frameLocator('under-bell iframe');
    await frame.getByText('Quay is Q017').waitFor();
    const onTime = frame.locator('section.number').first();
    const whole = await onTime.innerText();
    const mark = frame.locator('.marks button').first();
    await mark.focus();
    await mark.press('Enter');
    const chip = frame.locator('button.own');
    await chip.waitFor();
    await assert.doesNotReject(
      frame
        .locator('section.number', { hasText: 'Departed on time' })
        .filter({ hasNotText: whole.split('\n').at(-1)! })
        .first()
        .waitFor(),
    );
    assert.notEqual(await onTime.innerText(), whole);
    await chip.click();
    await chip.waitFor({ state: 'detached' });
    assert.ok(addresses.some((one) => one.includes('/api/v1/placements/quay-page/view')));
    // A token is never part of an address.
    assert.ok(addresses.every((one) => !/eyJ[\w-]+\./.test(one)));
  });

  it('a bar can be picked with the pointer', async () => {
    await fresh();
    await page.goto(`${house.portalUrl}/quay/Q017`);
    const frame = page.frameLocator('under-bell iframe');
    // The pointer's shadow lies over the bar; the chart finds what is under it by place.
    await frame.locator('section.bar svg path[fill="#0072B2"]').first().click({ force: true });
    await frame.locator('button.own').waitFor();
  });

  it('a page of another origin cannot frame the placement', async () => {
    await fresh();
    await page.route('http://elsewhere.example/', (route) =>
      route.fulfill({ contentType: 'text/html', body: `<iframe src="${house.url}/v/quay-page"></iframe>` }),
    );
    await page.goto('http://elsewhere.example/');
    await page.waitForTimeout(500);
    assert.equal(await page.frameLocator('iframe').locator('.page').count(), 0);
  });

  it('the plain link asks to sign in, then shows the own rows only', async () => {
    await fresh();
    await page.goto(`${house.url}/v/quay-page`);
    await page.getByRole('heading', { name: 'Sign in to see this report' }).waitFor();
    await page.getByLabel('Email').fill(manager);
    await page.getByLabel('Password').fill('lantern-quay-7');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByText('Quay is Q017').waitFor();
  });

  it('a wrong word in the address is said, not ignored', async () => {
    await fresh();
    await page.goto(`${house.url}/v/quay-page`);
    await page.request.post(`${house.url}/api/v1/session`, { data: { email: manager, password: 'lantern-quay-7' } });
    await page.goto(`${house.url}/v/quay-page?Quay=Q001`);
    await page.getByText('has no parameter “Quay”').waitFor();
    await page.getByText('Did you mean “quay”?').waitFor();
    await page.goto(`${house.url}/v/quay-page?where=${encodeURIComponent("quay_id == 'x'")}`);
    await page.getByText('Use one = to compare values').waitFor();
  });

  it('the console signs in, opens a report, plans and sends a burst', async () => {
    await fresh();
    await page.goto(`${house.url}/console/reports`);
    await page.getByLabel('Email').fill(publisher);
    await page.getByLabel('Password').fill('lantern-quay-7');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByRole('link', { name: 'Quay punctuality' }).click();
    await page.getByRole('link', { name: 'Create placement' }).waitFor();
    await page.getByText('First edition').waitFor();
    await page.getByRole('link', { name: 'Bursts', exact: true }).click();
    await page.getByRole('link', { name: 'Monthly quay pack' }).click();
    await page.getByLabel('Year', { exact: true }).selectOption('2026');
    await page.getByLabel('Month', { exact: true }).selectOption('2026-10');
    await page.getByRole('button', { name: 'Preview run' }).click();
    await page.getByText('46 copies').first().waitFor();
    await page.getByText('no rows for Q005 in October 2026').waitFor();
    await page.getByRole('button', { name: 'Send 46 copies' }).click();
    await page.getByRole('button', { name: 'Send', exact: true }).click();
    await page.getByText('46 sent, 6 skipped, 0 failed').first().waitFor({ timeout: 90_000 });
    await page.getByRole('heading', { name: /Deliveries of run 1/ }).waitFor();
    assert.equal(house.mail.mails.length, 46);
    await page.goto(house.mailboxUrl);
    await page.getByText('46 messages in 46 mailboxes').waitFor();
  });

  it('a rule is written with completion, tried as somebody and saved', async () => {
    await fresh();
    await page.request.post(`${house.url}/api/v1/session`, { data: { email: publisher, password: 'lantern-quay-7' } });
    await page.goto(`${house.url}/console/data/sailings`);
    await page.getByRole('button', { name: 'Create row rule' }).click();
    await page.getByPlaceholder('own-quay').fill('board-rule');
    await page.locator('.cm-content').click();
    await page.keyboard.type('quay_nam');
    await page.locator('.cm-tooltip').getByText('quay_name').waitFor();
    await page.keyboard.type("e = 'Sall");
    await page.locator('.cm-tooltip').getByText('Sallow Pier').waitFor();
    await page.getByText(/visible,/).waitFor();
    await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+A');
    await page.keyboard.type('quay_nam = 1');
    await page.getByText('Did you mean').waitFor();
    assert.equal(await page.getByRole('button', { name: 'Save row rule' }).isDisabled(), true);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+A');
    await page.keyboard.type("quay_id = 'Q017'");
    await page.getByText('quay is Q017').first().waitFor();
    await page.getByRole('button', { name: 'Save row rule' }).click();
    await page.getByRole('cell', { name: 'board-rule' }).waitFor();
  });

  it('a reader asks for access, is let in, and sees the report', async () => {
    await fresh(board);
    await page.goto(`${house.url}/v/quay-page`);
    await page.getByRole('button', { name: 'Request access' }).click();
    await page.getByText('Request sent.').waitFor();
    const console = await stand.page(publisher);
    await console.goto(`${house.url}/console/access/requests`);
    await console.getByRole('button', { name: 'Approve' }).click();
    await console.getByText('approved (view)').waitFor();
    await console.context().close();
    // The page may have heard of it by itself before anybody looks again.
    const again = page.getByRole('button', { name: 'Try again' });
    const figure = page.locator('section.figure').first();
    await again.or(figure).first().waitFor();
    await again.click({ timeout: 3_000 }).catch(() => undefined);
    await figure.waitFor();
  });
});
