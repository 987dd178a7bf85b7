import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { after, before, describe, it } from 'node:test';
import { publisher, until, type House } from '../packages/service/test/house.ts';
import { BrowserHouse, password } from './browserHouse.ts';

describe('sending, in a browser', () => {
  let stand: BrowserHouse;
  let house: House;
  before(async () => {
    stand = await BrowserHouse.open();
    ({ house } = stand);
  });
  after(() => stand.close());
  const signedIn = (email: string) => stand.page(email);

  it('a link from a letter asks its recipient to sign in, and gives them the file', async () => {
    const body = { period: '2026-10', only: ['Q017'] };
    const started = await house.call('POST', '/api/v1/bursts/kiosk-takings/runs', { as: publisher, body });
    assert.equal(started.status, 202, started.text);
    await house.finished((started.body as unknown as { id: number }).id, publisher);
    const letter = await house.mail.parse(await until(async () => house.mail.mails.at(-1)));
    const links = [...letter.text!.matchAll(/https?:\/\/[^\s]+\/c\/[\w.-]+/g)].map(String);
    const csv = links.at(-1)!;
    const page = await stand.page();
    await page.goto(csv);
    await page.getByRole('link', { name: 'Sign in' }).click();
    await page.getByLabel('Email').fill('quay17@skerrow.example');
    await page.getByLabel('Password').fill(password);
    const download = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Sign in' }).click();
    const file = await download;
    assert.equal(file.suggestedFilename(), 'kiosk-takings-Q017-2026-10.csv');
    const rows = readFileSync(await file.path(), 'utf8')
      .trimEnd()
      .split('\r\n')
      .slice(1);
    assert.ok(rows.length > 0 && rows.every((row) => row.includes('Q017')), 'their own rows');
    await page.context().close();
  });

  it('a recipient unsubscribes with the link of an email, and is resubscribed in the console', async () => {
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: { destination: object } }[];
    };
    const { definition } = bursts.find((one) => one.name === 'quay-pack')!;
    const destination = { ...definition.destination, unsubscribe: true };
    const saved = await house.call('PUT', '/api/v1/bursts', {
      as: publisher,
      body: { ...definition, name: 'news', title: 'News', destination },
    });
    assert.ok(saved.status < 300, saved.text);
    const body = { period: '2026-10', only: ['Q017'] };
    const started = await house.call('POST', '/api/v1/bursts/news/runs', { as: publisher, body });
    await house.finished((started.body as unknown as { id: number }).id, publisher);
    const email = await house.mail.parse(await until(async () => house.mail.mails.at(-1)));
    const link = /https?:\/\/[^\s]+\/u\/[\w.-]+/.exec(email.text!)![0];
    const page = await stand.page();
    await page.goto(link);
    await page.getByText('Unsubscribe quay17@skerrow.example from “News”?').waitFor();
    await page.getByRole('button', { name: 'Unsubscribe' }).click();
    await page.getByRole('heading', { name: 'Unsubscribed' }).waitFor();
    await page.context().close();
    const console = await signedIn(publisher);
    await console.goto(`${house.url}/console/bursts/news`);
    await console.getByRole('button', { name: 'Resubscribe quay17@skerrow.example' }).click();
    await console.getByRole('dialog').getByRole('button', { name: 'Resubscribe' }).click();
    await console.getByRole('heading', { name: 'Unsubscribed' }).waitFor({ state: 'detached' });
    await console.context().close();
  });

  it('a burst is changed step by step, checked as it is written, and planned', async () => {
    const page = await signedIn(publisher);
    await page.goto(`${house.url}/console/bursts/quay-pack/edit`);
    await page.getByText('No errors.').waitFor();
    await page.getByLabel('File name (without extension)').fill('{burst}-{quai}-{period}');
    await page.getByText(/quai/).last().waitFor();
    await page.getByText('No errors.').waitFor({ state: 'detached' });
    await page.getByLabel('File name (without extension)').fill('{burst}-{quay}-{period}');
    await page.getByText('No errors.').waitFor();
    await page.getByLabel(/^Runs/).selectOption({ label: 'Every Monday at 06:00' });
    await page.getByLabel('Holiday calendar').selectOption({ label: 'Office closed' });
    await page.getByLabel('On holidays').selectOption({ label: 'run on the next day' });
    await page.getByText(/every week on Monday at 06:00/).waitFor();
    await page.getByRole('button', { name: /^Save/ }).click();
    await page.getByRole('button', { name: 'Preview run' }).waitFor();
    await page.getByText(/Schedule: every week on Monday/i).waitFor();
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: { schedule?: object } }[];
    };
    const { schedule } = bursts.find((one) => one.name === 'quay-pack')!.definition;
    assert.deepEqual(
      { ...schedule, start: '', timeZone: '' },
      {
        rule: 'FREQ=WEEKLY;BYDAY=MO;BYHOUR=6;BYMINUTE=0',
        start: '',
        timeZone: '',
        holidays: 'office-closed',
        onHoliday: 'next',
      },
    );
    await page.getByLabel('Year', { exact: true }).selectOption('2026');
    await page.getByLabel('Month', { exact: true }).selectOption('2026-10');
    await page.getByRole('button', { name: 'Preview run' }).click();
    await page.getByText('46 copies').first().waitFor();
    await page.getByText(/Estimate from earlier copies|no estimate for/).waitFor();
    await page.context().close();
  });

  it('holidays are kept and a calendar gets an address that works', async () => {
    const page = await signedIn(publisher);
    await page.goto(`${house.url}/console/holiday-calendars`);
    await page.getByLabel('Name').fill('harvest');
    await page.getByLabel('Title').fill('Harvest');
    await page.getByLabel('Days, one per line').fill('2027-09-01\n2027-09-02');
    await page.getByRole('button', { name: 'Save' }).click();
    await page.getByText('harvest: 2 days, from 2027-09-01 to 2027-09-02').waitFor();
    await page.getByRole('button', { name: 'Create feed' }).click();
    const address = await page.locator('.address code').innerText();
    assert.match(await (await page.request.get(address)).text(), /BEGIN:VCALENDAR/);
    await page.context().close();
  });

  it('a folder gets a limit of costs, which is said', async () => {
    const page = await signedIn(publisher);
    await page.goto(`${house.url}/console/usage`);
    await page.getByRole('button', { name: 'Create limit' }).click();
    await page.getByLabel('Folder').selectOption('operations');
    await page.getByLabel('Warn at').fill('500');
    await page.getByLabel('Block at').fill('400');
    await page.getByRole('button', { name: 'Save' }).click();
    await page.getByText(/The warning must be lower than the limit/).waitFor();
    await page.getByLabel('Block at').fill('900');
    await page.getByRole('button', { name: 'Save' }).click();
    await page.getByText(/used \d+ of 900 s of computing today/).waitFor();
    await page.context().close();
  });
});
