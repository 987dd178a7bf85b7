import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { Page } from 'playwright-core';
import sharp from 'sharp';
import type { ShownPlaylist } from '@underbell/core/screen';
import { administrator, publisher, type Answer } from '../packages/service/test/house.ts';
import { makeVideo, moving } from '../packages/service/test/media/pictures.ts';
import { BrowserHouse } from './browserHouse.ts';

describe('pictures, playlists and interruptions in the console', () => {
  let stand: BrowserHouse;
  let page: Page;

  const call = async (method: string, path: string, body?: unknown, as = publisher): Promise<Answer> => {
    const answer = await stand.house.call(method, path, { as, ...(body === undefined ? {} : { body }) });
    assert.ok(answer.status < 300, `${method} ${path}: ${answer.text}`);
    return answer;
  };
  const picture = (background: string) =>
    sharp({ create: { width: 640, height: 360, channels: 3, background } })
      .png()
      .toBuffer();
  const open = (path: string) => page.goto(`${stand.house.url}/console/${path}`);

  before(async () => {
    stand = await BrowserHouse.open();
    const attributes = [{ name: 'quay', label: 'Quay', type: 'text' }];
    await call('PUT', '/api/v1/screen-attributes', { attributes }, administrator);
    await call('PUT', '/api/v1/screen-groups/quays', { title: 'On the quays' });
    page = await stand.page(publisher);
  });
  after(() => stand.close());

  it('puts a picture in, says what is wrong with another, and puts the next version in', async () => {
    await open('media');
    await page.getByText('No media.').waitFor();
    const file = page.getByLabel(/PNG, JPEG/);
    await file.setInputFiles({ name: 'Harbour Map.png', mimeType: 'image/png', buffer: await picture('#204060') });
    assert.equal(await page.getByLabel('Name (used in URLs)').inputValue(), 'harbour-map');
    await page.getByLabel('Title').fill('The harbour');
    await page.getByRole('button', { name: 'Upload', exact: true }).click();
    await page.getByText('is ready.').waitFor();
    const shown = page.getByRole('img', { name: 'The harbour' });
    await shown.waitFor();
    assert.equal(await shown.evaluate((one) => (one as HTMLImageElement).naturalWidth), 480);
    await page.getByText('640 × 360').waitFor();
    await file.setInputFiles({ name: 'words.png', mimeType: 'image/png', buffer: Buffer.from('Only words.') });
    await page.getByLabel('Name (used in URLs)').fill('words');
    await page.getByRole('button', { name: 'Upload', exact: true }).click();
    await page.getByText('of no type that is known here').waitFor();
    // What the network keeps back is said, and may be sent again.
    await page.context().setOffline(true);
    await page.getByRole('button', { name: 'Upload', exact: true }).click();
    await page.getByText('The service is not responding').waitFor();
    await page.context().setOffline(false);
    await page.getByRole('button', { name: 'Upload', exact: true }).click();
    await page.getByText('of no type that is known here').waitFor();
    const chooser = page.waitForEvent('filechooser');
    await page.getByRole('button', { name: 'Upload new version' }).click();
    await (await chooser).setFiles({ name: 'new.png', mimeType: 'image/png', buffer: await picture('#a06020') });
    await page.getByRole('button', { name: 'Upload', exact: true }).click();
    await page.getByText('version 2 · new.png').waitFor();
    const film = await makeVideo('webm', ...moving(0.5, '640x360'), '-c:v', 'libvpx');
    await file.setInputFiles({ name: 'film.webm', mimeType: 'video/webm', buffer: film });
    await page.getByLabel('Title').fill('From the bridge');
    await page.getByRole('button', { name: 'Upload', exact: true }).click();
    const still = page.getByRole('img', { name: 'From the bridge' });
    await still.waitFor();
    await page.getByText(/film\.webm · video · 640 × 360/).waitFor();
    assert.equal(await still.evaluate((one) => (one as HTMLImageElement).naturalWidth), 480);
    await call('DELETE', '/api/v1/media/film');
  });

  it('makes a playlist of what is offered: pages, boards, pictures, numbers within words, hours', async () => {
    await open('playlists/offered');
    await page.getByLabel(/^Add all pages of/).selectOption('quay-punctuality');
    await page.getByLabel('Filter for sailings').fill("quay_id = screen('quay')");
    await page.getByRole('button', { name: 'Add slot' }).click();
    const slots = page.locator('.slots > li');
    const map = slots.nth(1);
    await map.getByLabel('Name', { exact: true }).fill('map');
    await map.getByLabel(/^Content/).selectOption('media');
    await map.getByLabel(/^Media/).selectOption('harbour-map');
    await map.locator('summary').click();
    await map.getByRole('button', { name: 'Add time window' }).click();
    await map.getByLabel('from', { exact: true }).fill('07:30');
    await map.getByLabel('Mon').check();
    await page.getByRole('button', { name: 'Add slot' }).click();
    const words = slots.nth(2);
    await words.getByLabel('Name', { exact: true }).fill('said');
    await words.getByLabel(/^Content/).selectOption('words');
    await words.getByRole('button', { name: 'Add measure' }).click();
    await words.getByLabel(/^Placeholder/).fill('now');
    await words.getByLabel(/^Report/).selectOption('quay-punctuality');
    await words.getByLabel(/^Page/).selectOption('overview');
    const offered = await words
      .getByLabel(/^Figure/)
      .locator('option')
      .allTextContents();
    assert.ok(!offered.includes('By route and vessel'), 'numbers alone stand within words');
    await words.getByLabel(/^Figure/).selectOption('on-time');
    await words.getByLabel('Filter for sailings').fill("quay_id = screen('quay')");
    await words.getByLabel(/^Text/).fill('On time: {now}');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByText('Not published, edited').waitFor();
    const { definition } = (await call('GET', '/api/v1/playlists/offered')).body as unknown as ShownPlaylist;
    const where = { sailings: "quay_id = screen('quay')" };
    assert.deepEqual(
      definition.slots.map(({ name, shows, where: limits, hours }) => ({ name, shows, limits, hours })),
      [
        {
          name: 'quay-punctuality-overview',
          shows: { report: 'quay-punctuality', page: 'overview' },
          limits: where,
          hours: undefined,
        },
        {
          name: 'map',
          shows: { media: 'harbour-map' },
          limits: undefined,
          hours: [{ days: ['MO'], from: '07:30', to: '20:00' }],
        },
        {
          name: 'said',
          shows: {
            text: 'On time: {now}',
            values: { now: { report: 'quay-punctuality', page: 'overview', figure: 'on-time', where } },
          },
          limits: undefined,
          hours: undefined,
        },
      ],
    );
    // Left as it is, it is not changed; nothing is taken away that it shows.
    await page.reload();
    await page.getByText('Not published, edited').waitFor();
    assert.ok(await page.getByRole('button', { name: 'Save', exact: true }).isDisabled());
    await open('media');
    await page.getByRole('button', { name: 'Delete' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
    await page.getByText('playlist offered').first().waitFor();
  });

  it('interrupts a group with a picture, and ends that', async () => {
    await open('screens?group=quays');
    await page.getByRole('button', { name: 'Override', exact: true }).click();
    await page.getByLabel(/^Content/).selectOption('media');
    await page.getByLabel(/^Media/).selectOption('harbour-map');
    await page.getByLabel('Duration (minutes)').fill('30');
    await page.getByRole('button', { name: 'Start override' }).click();
    await page.getByText('Override:').waitFor();
    await page.getByText('harbour-map, version 2').waitFor();
    await page.getByRole('button', { name: 'End override' }).click();
    await page.getByText('Override:').waitFor({ state: 'detached' });
  });
});
