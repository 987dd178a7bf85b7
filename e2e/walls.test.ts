import assert from 'node:assert/strict';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import type { Page } from 'playwright-core';
import type { Fleet, ShownScreen } from '@underbell/core/screen';
import { ScreenDevice } from '@underbell/standins/screen';
import { Caller } from '../demo/src/index.ts';
import { administrator, manager, publisher, until } from '../packages/service/test/house.ts';
import { root } from '../scripts/install.mjs';
import { playScreens } from '../scripts/start/screens.ts';
import { BrowserHouse } from './browserHouse.ts';

describe('screens that really play, and the console that looks after many', () => {
  const folder = mkdtempSync(join(tmpdir(), 'underbell-walls-'));
  let stand: BrowserHouse;
  let caller: Caller;
  let close: (() => Promise<void>) | undefined;
  let page: Page;
  const fleet = async (find: string) =>
    (await caller.call('GET', `/api/v1/screens?find=${encodeURIComponent(find)}`)) as Fleet;

  before(async () => {
    stand = await BrowserHouse.open();
    const { house } = stand;
    caller = new Caller(house.url, await house.keyOf(publisher));
    const administers = new Caller(house.url, await house.keyOf(administrator));
    const attributes = [{ name: 'quay', label: 'Quay', type: 'text' }];
    await administers.call('PUT', '/api/v1/screen-attributes', { attributes });
    await caller.call('PUT', '/api/v1/screen-groups/quays', { title: 'On the quays', worryMinutes: 100_000 });
    // Devices that only say that they show something.
    for (const quay of ['Q001', 'Q002', 'Q003']) {
      const name = `quay-${quay.toLowerCase()}`;
      const said = { name, title: `Quay ${quay}`, group: 'quays', attributes: { quay } };
      const typed = async (code: string) =>
        void (await caller.call('POST', `/api/v1/pairing-codes/${code}`, {
          ...said,
          timeZone: 'Europe/Berlin',
          language: 'en',
        }));
      await ScreenDevice.pair(name, house.url, typed);
    }
    const slots = [{ name: 'hello', shows: { text: 'Welcome to quay {quay}' }, seconds: 10 }];
    const definition = { format: 'underbell-playlist/1', name: 'walls', title: 'Walls', slots };
    await caller.call('PUT', '/api/v1/playlists', { definition });
    const targets = [{ kind: 'screen-group', name: 'quays' }];
    await caller.call('POST', '/api/v1/playlists/walls/publish', { targets, give: true });
    page = await stand.page(publisher);
  });
  after(async () => {
    await close?.();
    await stand.close();
    rmSync(folder, { recursive: true, force: true });
  });

  it('hangs two browsers where two of the others hang, which play by themselves when they are started again', async () => {
    close = await playScreens(folder, stand.house.url, caller);
    const play = () =>
      until(async () => {
        const { screens } = await fleet('played');
        return screens.length === 2 && screens.every((one) => one.shown?.slot === 'hello') ? screens : undefined;
      });
    const first = await play();
    assert.deepEqual(
      first.map(({ name, attributes }) => [name, attributes]),
      [
        ['played-upright', { quay: 'Q002' }],
        ['played-wide', { quay: 'Q001' }],
      ],
    );
    const shown = (await caller.call('GET', '/api/v1/screens/played-upright')) as ShownScreen;
    assert.ok(shown.device.browser?.startsWith('Chrome'), JSON.stringify(shown.device));
    await close();
    close = await playScreens(folder, stand.house.url, caller);
    const again = await play();
    assert.deepEqual(
      again.map((one) => one.pairedAt),
      first.map((one) => one.pairedAt),
      'none was taken in anew',
    );
    // What each really shows comes when somebody looks.
    const picture = async () => {
      const answer = await stand.house.call('GET', '/api/v1/screens/played-wide/screenshot', { as: publisher });
      return answer.status === 200 ? answer.headers.get('content-type') : undefined;
    };
    assert.equal(await until(picture), 'image/webp');
  });

  it('leaves its end to the process that hangs them: Ctrl-C comes to all, and everything stops in order', async () => {
    const device = join(folder, 'ctrl-c');
    const program = `
import { launchDevice } from './scripts/browser.ts';
const context = await launchDevice(${JSON.stringify(device)});
process.once('SIGINT', async () => {
  await new Promise((resolve) => setTimeout(resolve, 1_000));
  console.log('the first thing is stopped, beside ' + (await context.newPage()).url());
  await context.close();
  console.log('everything is stopped');
});
console.log('ready');
`;
    // A terminal tells everybody who runs in it.
    const child = spawn(process.execPath, ['--import', 'tsx', '--input-type=module', '-e', program], {
      cwd: root,
      detached: true,
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    let said = '';
    child.stdout.setEncoding('utf8').on('data', (text: string) => (said += text));
    await until(() => said.includes('ready'));
    process.kill(-child.pid!, 'SIGINT');
    const [code] = (await once(child, 'close')) as [number | null];
    assert.deepEqual(
      [said.trim().split('\n'), code],
      [['ready', 'the first thing is stopped, beside about:blank', 'everything is stopped'], 0],
    );
  });

  it('tells makers with how many something is wrong, wherever they are, and nobody else', async () => {
    await page.goto(`${stand.house.url}/console`);
    // Three never said a word.
    const link = page.getByRole('navigation').getByRole('link', { name: /^Screens\W+3\s*with problems$/ });
    await link.waitFor();
    const section = page.locator('section', { hasText: 'Screens' });
    await section.getByText('silent').waitFor();
    await section.getByRole('link', { name: '3 of 5' }).click();
    await page.waitForURL('**/screens?state=silent');
    await page.getByRole('link', { name: 'Quay Q001' }).waitFor();
    assert.equal(await page.getByRole('link', { name: /Played here/ }).count(), 0);
    const other = await stand.page(manager);
    await other.goto(`${stand.house.url}/console`);
    await other.getByRole('heading', { level: 1 }).waitFor();
    assert.equal(await other.getByText('something is wrong').count(), 0);
    assert.equal((await stand.house.call('GET', '/api/v1/screen-counts', { as: manager })).status, 200);
    await other.context().close();
  });

  it('finds screens by what they are called or say, as a list and as pictures', async () => {
    await page.goto(`${stand.house.url}/console/screens`);
    await page.getByRole('link', { name: 'Quay Q003' }).waitFor();
    await page.getByLabel('Search').fill('q002');
    await page.getByLabel('Search').press('Enter');
    await page.waitForURL('**/screens?find=q002');
    await page.getByRole('link', { name: 'Quay Q001' }).waitFor({ state: 'detached' });
    assert.equal(await page.locator('tbody tr').count(), 2);
    await page.getByRole('button', { name: 'Screenshots' }).click();
    await page.getByText(/^screenshot, /).waitFor();
    await page.getByLabel('Search').fill('nothing of the kind');
    await page.getByLabel('Search').press('Enter');
    await page.getByText('No matching screens.').waitFor();
    await page.getByLabel('Search').fill('');
    await page.getByLabel('Search').press('Enter');
    await page.getByRole('link', { name: 'Quay Q003' }).waitFor();
    assert.equal(await page.locator('.grid li').count(), 5);
  });
});
