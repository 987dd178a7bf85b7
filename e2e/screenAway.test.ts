import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import type { Page } from 'playwright-core';
import sharp from 'sharp';
import { publisher, until } from '../packages/service/test/house.ts';
import { launchDevice } from '../scripts/browser.ts';
import { page1, ScreenStand, words } from './screenStand.ts';

const hourMs = 3_600_000;
const yearMs = 365 * 24 * hourMs;

describe('a display screen on bad days, in a browser', () => {
  let at: ScreenStand;
  const folders: string[] = [];
  before(async () => {
    at = await ScreenStand.open();
  });
  after(async () => {
    await at.close();
    for (const one of folders) rmSync(one, { recursive: true, force: true });
  });

  it('plays on through twelve hours without a network, says how old it is, and goes on by itself', async (t) => {
    // By the wall's own clock one slot comes and another goes within these hours.
    const timeIn = (hours: number) =>
      new Intl.DateTimeFormat('en-GB', { timeZone: 'Europe/Berlin', hour: '2-digit', minute: '2-digit' }).format(
        Date.now() + hours * hourMs,
      );
    await at.group(
      'away',
      [
        page1,
        words('always', 'Always here'),
        words('later', 'Later today', { hours: [{ from: timeIn(5), to: timeIn(8) }] }),
      ],
      { worryMinutes: 120, leaseHours: 48 },
    );
    const page = await at.device((one) => one.clock.install());
    await at.pair(page, 'away', 'away');
    await at.onWall(page, 'Always here');
    await until(async () => (await at.kept(page, 'answer ')) > 0);
    await page.context().setOffline(true);
    const seen = { looks: 0, empty: 0, later: 0, always: 0, worried: 0 };
    const expected = { later: 0 };
    for (let minutes = 0; minutes < 12 * 60; minutes += 10) {
      await page.clock.fastForward(600_000);
      for (const ms of [5_000, 5_000, 5_000]) {
        await page.clock.runFor(ms);
        const now = await page.evaluate(async () => {
          await new Promise((resolve) => requestAnimationFrame(resolve));
          const slot = document.querySelector('.slot.shown');
          const age = document.querySelector('.age:not([hidden])');
          return {
            text: slot?.textContent ?? '',
            isEmpty: !slot || slot.getBoundingClientRect().width === 0,
            isWorried: age?.classList.contains('worry') ?? false,
          };
        });
        seen.looks++;
        if (now.isEmpty) seen.empty++;
        if (now.text.includes('Later today')) seen.later++;
        if (now.text.includes('Always here')) seen.always++;
        if (now.isWorried) seen.worried++;
        if (minutes < 280 || minutes > 490) assert.ok(!now.text.includes('Later today'), `after ${minutes} minutes`);
        else expected.later++;
      }
    }
    t.diagnostic(`12 hours in steps of ten minutes: ${JSON.stringify(seen)}`);
    assert.equal(seen.empty, 0);
    assert.ok(seen.later > 0 && seen.always > 0 && seen.worried > 0, JSON.stringify(seen));
    // Restarted without a network, in the middle of it.
    await page.reload();
    await page.locator('.slot.shown').waitFor();
    await page.context().setOffline(false);
    await at.call('PUT', '/api/v1/playlists', {
      definition: { format: 'underbell-playlist/1', name: 'away', title: 'away', slots: [words('back', 'Here again')] },
    });
    await at.call('POST', '/api/v1/playlists/away/publish', { targets: [{ kind: 'screen-group', name: 'away' }] });
    for (let i = 0; i < 60 && !(await page.locator('.slot.shown').getByText('Here again').count()); i++)
      await page.clock.runFor(5_000);
    await at.onWall(page, 'Here again');
  });

  it('notices that its clock is wrong by a year, and goes by the service’s time', async () => {
    await at.group('clock', [page1, words('hello', 'Right on time')]);
    for (const [name, off] of [
      ['fast', yearMs],
      ['slow', -yearMs],
    ] as const) {
      const page = await at.device(async (one) => {
        await one.clock.install({ time: Date.now() + off });
        await one.clock.resume();
      });
      await at.pair(page, `clock-${name}`, 'clock');
      await at.onWall(page, 'Right on time');
      const found = await until(async () => {
        const { shown: now, state } = await at.shown(`clock-${name}`);
        return now?.clockErrorMs === undefined ? undefined : { error: now.clockErrorMs, state };
      });
      assert.ok(Math.abs(found.error - off) < 60_000, `${name}: ${found.error}`);
      assert.equal(found.state, 'fine');
      await page.locator('.slot.shown h1').waitFor();
      assert.doesNotMatch((await page.locator('.age').textContent())!, /days? old/);
      await page.close();
    }
  });

  it('forgets what it keeps after its lease, without a word from anybody', async () => {
    await at.group('lease', [page1, words('hello', 'Not for ever')], { leaseHours: 2 });
    const page = await at.device((one) => one.clock.install());
    await at.pair(page, 'lease', 'lease');
    await at.onWall(page, 'Not for ever');
    await until(async () => (await at.kept(page, 'answer ')) > 0);
    await page.context().setOffline(true);
    // Whatever was under way has come by then, and is no word of later.
    await new Promise((resolve) => setTimeout(resolve, 1_000));
    await page.clock.fastForward(1.9 * hourMs);
    await page.clock.runFor(35_000);
    assert.ok((await at.kept(page)) > 0);
    await page.clock.fastForward(0.2 * hourMs);
    await page.clock.runFor(35_000);
    await page.getByText('Stored content was deleted').waitFor();
    await until(async () => (await at.kept(page)) === 0);
    // Started anew within the hours it plays nothing either.
    await page.reload();
    assert.equal(await page.locator('.slot').count(), 0);
  });

  it('goes on after a power cut in the middle of a download: what came before is not asked for again', async () => {
    const noise = Buffer.alloc(
      1_200 * 1_000 * 3,
      Uint8Array.from({ length: 997 }, (_, i) => (i * 7919) % 256),
    );
    const picture = await sharp(noise, { raw: { width: 1_200, height: 1_000, channels: 3 } })
      .png({ compressionLevel: 0 })
      .toBuffer();
    assert.ok(picture.length > 3_000_000);
    const put = await at.stand.house.call('PUT', '/api/v1/media/large?file=large.png', { as: publisher, csv: picture });
    assert.equal(put.status, 200, put.text);
    await at.group('cut', [words('hello', 'Still here'), { name: 'map', shows: { media: 'large' }, seconds: 5 }]);
    const folder = mkdtempSync(join(tmpdir(), 'underbell-screen-'));
    folders.push(folder);
    const start = async (): Promise<Page> => {
      const context = at.keep(await launchDevice(folder));
      const [page = await context.newPage()] = context.pages();
      page.setDefaultTimeout(60_000);
      return page;
    };
    const asked: string[] = [];
    let page = await start();
    await page.route('**/file', async (route) => {
      const range = route.request().headers()['range']!;
      asked.push(range);
      // The third piece never comes.
      if (!range.startsWith('bytes=2097152-')) await route.continue();
    });
    await at.pair(page, 'cut', 'cut');
    await at.onWall(page, 'Still here');
    await until(async () => (await at.kept(page, 'media ')) === 2);
    await new Promise((resolve) => setTimeout(resolve, 500));
    // The power goes: nothing is closed, nothing is said.
    const pids = execFileSync('pgrep', ['-f', '--', `--user-data-dir=${folder}`], { encoding: 'utf8' })
      .trim()
      .split('\n');
    for (const pid of pids) process.kill(Number(pid), 'SIGKILL');
    asked.length = 0;
    page = await start();
    page.on('request', (one) => {
      const range = one.headers()['range'];
      if (one.url().endsWith('/file') && range) asked.push(range);
    });
    await page.goto(`${at.stand.house.url}/screen/`);
    await page.locator('.slot.shown img.media').waitFor();
    assert.ok(!asked.includes('bytes=0-1048575') && !asked.includes('bytes=1048576-2097151'), asked.join());
    assert.ok(asked.includes('bytes=2097152-3145727'), asked.join());
    assert.equal(await page.locator('img.media').evaluate((one) => (one as HTMLImageElement).naturalWidth), 1_200);
    await page.context().close();
  });
});
