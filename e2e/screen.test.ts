import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { BrowserContext, Page } from 'playwright-core';
import sharp from 'sharp';
import type { ShownScreen } from '@underbell/core/screen';
import { administrator, publisher, until, type Answer } from '../packages/service/test/house.ts';
import { BrowserHouse } from './browserHouse.ts';

const playlist = (change: object = {}) => ({
  format: 'underbell-playlist/1',
  name: 'quay-screen',
  title: 'Quay screens',
  slots: [
    {
      name: 'punctuality',
      shows: { report: 'quay-punctuality', page: 'overview' },
      where: { sailings: "quay_id = screen('quay')" },
      seconds: 5,
    },
    { name: 'welcome', shows: { text: 'Welcome to quay {quay}' }, seconds: 5 },
  ],
  ...change,
});

describe('a display screen, in a browser', () => {
  let stand: BrowserHouse;
  let context: BrowserContext;
  let page: Page;

  const call = async (method: string, path: string, body?: unknown, as = publisher): Promise<Answer> => {
    const answer = await stand.house.call(method, path, { as, ...(body === undefined ? {} : { body }) });
    assert.ok(answer.status < 300, `${method} ${path}: ${answer.text}`);
    return answer;
  };
  const shown = async (name: string) => (await call('GET', `/api/v1/screens/${name}`)).body as unknown as ShownScreen;
  const pair = async (at: Page, name: string, quay: string): Promise<void> => {
    const code = (await at.locator('.code').textContent())!;
    await call('POST', `/api/v1/pairing-codes/${code}`, {
      name,
      title: `Screen of ${quay}`,
      group: 'quays',
      attributes: { quay },
      timeZone: 'Europe/Berlin',
      language: 'en',
    });
  };

  before(async () => {
    stand = await BrowserHouse.open();
    const attributes = [{ name: 'quay', label: 'Quay', type: 'text' }];
    await call('PUT', '/api/v1/screen-attributes', { attributes }, administrator);
    await call('PUT', '/api/v1/screen-groups/quays', { title: 'On the quays', worryMinutes: 100_000 });
    await call('PUT', '/api/v1/playlists', { definition: playlist() });
    const targets = [{ kind: 'screen-group', name: 'quays' }];
    await call('POST', '/api/v1/playlists/quay-screen/publish', { targets, give: true });
    context = await stand.browser.newContext({ viewport: { width: 1920, height: 1080 } });
    page = await context.newPage();
  });
  after(async () => {
    await context?.close();
    await stand.close();
  });

  it('shows a code and where to type it, and plays once it was typed', async () => {
    await page.goto(`${stand.house.url}/screen/`);
    await page.locator('.code').waitFor();
    assert.match((await page.locator('.address').textContent())!, /\/console\/pair$/);
    assert.equal(await page.locator('.qr svg').count(), 1);
    await pair(page, 'quay-17', 'Q017');
    await page.getByText('Quay is Q017').waitFor({ state: 'attached' });
    await page.locator('.slot.shown').getByText('Welcome to quay Q017').waitFor();
    await page.locator('.slot.shown .chart svg').first().waitFor();
    assert.match((await page.locator('.age').textContent())!, /^as of /);
    await until(async () => (await shown('quay-17')).shown?.slot !== undefined);
    assert.equal((await shown('quay-17')).shown?.has?.['quay-screen'], 1);
  });

  it('changes from slot to slot with nothing empty between', async () => {
    const empty = await page.evaluate(
      () =>
        new Promise<number>((resolve) => {
          let bare = 0;
          let changes = 0;
          let last = document.querySelector('.slot.shown');
          const look = () => {
            const now = document.querySelector('.slot.shown');
            if (!now || now.getBoundingClientRect().width === 0) bare++;
            if (now !== last) changes++;
            last = now;
            if (changes < 2) requestAnimationFrame(look);
            else resolve(bare);
          };
          look();
        }),
    );
    assert.equal(empty, 0);
  });

  it('plays on without a network, over a restart, and goes on by itself', async () => {
    await context.setOffline(true);
    await page.reload();
    await page.locator('.slot.shown').getByText('Welcome to quay Q017').waitFor();
    await page.locator('.slot.shown .chart svg').first().waitFor();
    assert.ok(await page.locator('.age').isVisible(), 'and says how old it is');
    // What is kept is nothing that anybody reads who has the disk.
    const readable = await page.evaluate(async () => {
      const db = await new Promise<IDBDatabase>((resolve) => {
        const asked = indexedDB.open('underbell screen');
        asked.onsuccess = () => resolve(asked.result);
      });
      const all = await new Promise<{ bytes: ArrayBuffer }[]>((resolve) => {
        const asked = db.transaction('kept').objectStore('kept').getAll();
        asked.onsuccess = () => resolve(asked.result as { bytes: ArrayBuffer }[]);
      });
      return all
        .map((one) => new TextDecoder().decode(one.bytes))
        .join()
        .includes('Q017');
    });
    assert.equal(readable, false);
    await context.setOffline(false);
    await call('PUT', '/api/v1/playlists', {
      definition: playlist({ slots: [{ name: 'storm', shows: { text: 'Storm over {quay}' }, seconds: 5 }] }),
    });
    await call('POST', '/api/v1/playlists/quay-screen/publish', { targets: [{ kind: 'screen-group', name: 'quays' }] });
    await page.locator('.slot.shown').getByText('Storm over Q017').waitFor();
    await call('POST', '/api/v1/playlists/quay-screen/rollback', { revision: 1 });
    await page.locator('.slot.shown').getByText('Welcome to quay Q017').waitFor();
  });

  it('shows boards, pictures, videos and numbers within words, and nothing that came otherwise than published', async () => {
    const drawing =
      '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 160 90"><rect width="160" height="90" fill="#204060"/></svg>';
    const put = (name: string, file: string, bytes: string | Buffer) =>
      stand.house.call('PUT', `/api/v1/media/${name}?file=${file}`, { as: publisher, csv: bytes });
    assert.equal((await put('map', 'map.svg', drawing)).status, 200);
    // A video that nobody here wrote: what this browser records of a canvas.
    const recorded = await page.evaluate(async () => {
      const canvas = document.createElement('canvas');
      Object.assign(canvas, { width: 160, height: 90 });
      const pen = canvas.getContext('2d')!;
      const recorder = new MediaRecorder(canvas.captureStream(20), { mimeType: 'video/webm' });
      const parts: Blob[] = [];
      recorder.ondataavailable = (event) => parts.push(event.data);
      recorder.start();
      for (let i = 0; i < 20; i++) {
        pen.fillStyle = `hsl(${i * 18} 60% 40%)`;
        pen.fillRect(0, 0, 160, 90);
        await new Promise((resolve) => setTimeout(resolve, 50));
      }
      await new Promise((resolve) => {
        recorder.onstop = resolve;
        recorder.stop();
      });
      return [...new Uint8Array(await new Blob(parts).arrayBuffer())];
    });
    const clip = await put('clip', 'clip.webm', Buffer.from(recorded));
    assert.equal(clip.status, 200, clip.text);
    const onQuay = "quay_id = screen('quay')";
    const value = { report: 'quay-punctuality', page: 'overview', figure: 'on-time', where: { sailings: onQuay } };
    const slots = [
      { name: 'map', shows: { media: 'map' }, seconds: 5 },
      { name: 'clip', shows: { media: 'clip' }, title: 'From the bridge', seconds: 5 },
      { name: 'said', shows: { text: 'On time at {quay}: {now}', values: { now: value } }, seconds: 5 },
      {
        name: 'board',
        shows: { board: 'harbour' },
        where: { sailings: onQuay, 'kiosk-takings': onQuay, 'berth-works': onQuay },
        seconds: 5,
      },
    ];
    await call('PUT', '/api/v1/playlists', { definition: playlist({ slots }) });
    await call('POST', '/api/v1/playlists/quay-screen/publish', {
      targets: [{ kind: 'screen-group', name: 'quays' }],
      give: true,
    });
    await page.locator('.slot.shown img.media').waitFor();
    const video = page.locator('.slot.shown video');
    await video.waitFor();
    assert.ok(await video.evaluate((one) => !(one as HTMLVideoElement).paused && (one as HTMLVideoElement).muted));
    await page
      .locator('.slot.shown')
      .getByText(/On time at Q017: \d/)
      .waitFor();
    await page.locator('.slot.shown article').first().waitFor();
    await until(async () => {
      const bytes = (await shown('quay-17')).shown?.storedBytes ?? 0;
      return bytes > recorded.length;
    });
    assert.doesNotMatch((await shown('quay-17')).shown?.lastError ?? '', /video|picture|file|harbour/);
    // Whoever looks after it sees what is really on it.
    const picture = await until(async () => {
      const answer = await stand.house.call('GET', '/api/v1/screens/quay-17/screenshot', { as: publisher });
      return answer.status === 200 ? answer : undefined;
    });
    assert.equal(picture.headers.get('content-type'), 'image/webp');
    // What is worked on stays as it was saved last: as before this.
    const storm = { name: 'storm', shows: { text: 'Storm over {quay}' }, seconds: 5 };
    await call('PUT', '/api/v1/playlists', { definition: playlist({ slots: [storm] }) });
    await call('POST', '/api/v1/playlists/quay-screen/rollback', { revision: 1 });
    await page.locator('.slot.shown').getByText('Welcome to quay Q017').waitFor();
  });

  it('shows a device without scripts pictures, which it finds by itself', async () => {
    const plain = await stand.browser.newContext({
      viewport: { width: 1280, height: 720 },
      javaScriptEnabled: false,
    });
    const wall = await plain.newPage();
    await wall.goto(`${stand.house.url}/screen/`);
    await wall.waitForURL('**/screen/picture', { waitUntil: 'commit' });
    await pair(wall, 'plain', 'Q012');
    // What its device may do without: time that somebody else lets go by faster, and a network.
    const cdp = await plain.newCDPSession(wall);
    await cdp.send('Animation.enable');
    /** Everything but its edges, where the signs stand. */
    const middle = (picture: Buffer) =>
      sharp(picture)
        .resize(1280, 720)
        .extract({ left: 0, top: 0, width: 1280, height: 660 })
        .removeAlpha()
        .raw()
        .toBuffer();
    /** Whether something is drawn there at all. */
    const isDrawn = async () => {
      const [red] = (
        await sharp(await middle(await wall.screenshot()), { raw: { width: 1280, height: 660, channels: 3 } }).stats()
      ).channels;
      return red!.stdev > 3;
    };
    await wall.locator('.picture').first().waitFor({ state: 'attached' });
    await until(async () => (await shown('plain')).shown?.slot !== undefined);
    await until(isDrawn);
    assert.equal((await shown('plain')).showsBy, 'picture');
    // Without a network the last picture stands, says so, and shows nothing of the browser's own. What its page still hears
    // is cut off as well: of five pages of one key the first is.
    const [cookie] = await plain.cookies(`${stand.house.url}/screen/picture`);
    const headers = { Cookie: `${cookie!.name}=${cookie!.value}` };
    const others: Response[] = [];
    for (let i = 0; i < 4; i++) others.push(await fetch(`${stand.house.url}/screen/picture`, { headers }));
    for (const one of others) await one.body!.cancel();
    await plain.setOffline(true);
    await cdp.send('Animation.setPlaybackRate', { playbackRate: 60 });
    await wall
      .getByText(/^offline since/)
      .last()
      .waitFor();
    assert.ok(await isDrawn(), 'the picture stays');
    assert.equal(new URL(wall.url()).pathname, '/screen/picture');
    const asked: number[] = [];
    let inVain = 0;
    wall.on('response', (one) => {
      if (one.url().includes('/live?again=')) asked.push(one.status());
    });
    wall.on('requestfailed', (one) => {
      if (one.url().includes('/now?again=')) inVain++;
    });
    // It goes on by itself, and shows what is to be seen as soon as that is another: no later step brings it.
    await plain.setOffline(false);
    await until(() => asked.includes(200));
    await cdp.send('Animation.setPlaybackRate', { playbackRate: 0 });
    await until(isDrawn);
    const seen: Buffer[] = [];
    await until(async () => {
      const picture = await middle(await wall.screenshot());
      if (!seen.at(-1)?.equals(picture)) seen.push(picture);
      // Its slots by turns.
      return seen.slice(0, -3).some((one) => one.equals(picture));
    });
    await cdp.send('Animation.setPlaybackRate', { playbackRate: 60 });
    // It is dark when it is closed.
    await call('POST', '/api/v1/screens/plain/unpair');
    const nobody = await fetch(`${stand.house.url}/screen/picture/now`);
    assert.equal(nobody.status, 401);
    const dark = await middle(Buffer.from(await nobody.arrayBuffer()));
    await until(async () => {
      const now = await middle(await wall.screenshot());
      const apart = now.reduce((sum, one, i) => sum + Math.abs(one - dark[i]!), 0) / now.length;
      return apart < 3;
    });
    // Nothing that was seen before comes back when the network goes after that: words that it has been told stay.
    await wall.waitForResponse((one) => one.url().includes('/closed?') && one.status() === 200);
    const looks: Buffer[] = [];
    await until(async () => looks.push(await wall.screenshot()) > 1 && looks.at(-1)!.equals(looks.at(-2)!));
    await plain.setOffline(true);
    inVain = 0;
    await until(async () => {
      assert.ok((await wall.screenshot()).equals(looks.at(-1)!), `after ${inVain} questions in vain`);
      return inVain > 12;
    });
    await plain.close();
  });

  it('is dark within a second without scripts, too', async (t) => {
    const plain = await stand.browser.newContext({
      viewport: { width: 1280, height: 720 },
      javaScriptEnabled: false,
    });
    const wall = await plain.newPage();
    await wall.goto(`${stand.house.url}/screen/picture`, { waitUntil: 'commit' });
    await pair(wall, 'plain-two', 'Q012');
    await wall.locator('.picture').first().waitFor({ state: 'attached' });
    await until(async () => (await shown('plain-two')).shown?.slot !== undefined);
    await call('POST', '/api/v1/screens/plain-two/unpair');
    const endedAt = Date.now();
    await wall.getByText('This screen is unpaired').waitFor();
    t.diagnostic(`dark after ${Date.now() - endedAt} ms`);
    assert.equal(await wall.locator('.picture:visible').count(), 0);
    await plain.close();
  });

  it('lets one window play, not two', async () => {
    const other = await context.newPage();
    await other.goto(`${stand.house.url}/screen/`);
    await other.getByText('Already playing in another window').waitFor();
    await other.close();
  });

  it('is dark within a second of its end, with nothing left of what it kept', async () => {
    await page.locator('.slot.shown').waitFor();
    await call('POST', '/api/v1/screens/quay-17/unpair');
    await page.getByText('This screen is unpaired').waitFor({ timeout: 5_000 });
    assert.equal(await page.locator('.slot').count(), 0);
    const left = await page.evaluate(async () => {
      const db = await new Promise<IDBDatabase>((resolve) => {
        const asked = indexedDB.open('underbell screen');
        asked.onsuccess = () => resolve(asked.result);
      });
      const count = (name: string) =>
        new Promise<number>((resolve) => {
          const asked = db.transaction(name).objectStore(name).count();
          asked.onsuccess = () => resolve(asked.result);
        });
      return (await count('kept')) + (await count('keys'));
    });
    assert.equal(left, 0);
  });

  it('is taken in in the console, by the address that its code leads to, and looked at there at any time of day', async () => {
    const wall = await stand.browser.newContext({ viewport: { width: 1080, height: 1920 } });
    const device = await wall.newPage();
    await device.goto(`${stand.house.url}/screen/`);
    const code = (await device.locator('.code').textContent())!;
    const desk = await stand.page(publisher);
    await desk.goto(`${stand.house.url}/console/pair?code=${code}`);
    await desk.getByText('1080 × 1920 pixels').waitFor();
    await desk.getByLabel('Title').fill('Upright');
    await desk.getByLabel('Name (used in URLs)').fill('upright');
    await desk.getByLabel('Group').selectOption('quays');
    // What the playlist asks for is asked for, and nothing is taken in without it.
    await desk.getByRole('button', { name: 'Pair screen' }).click();
    await desk.getByText('could not show').first().waitFor();
    await desk.getByLabel('Quay', { exact: true }).fill('Q008');
    await desk.getByRole('button', { name: 'Pair screen' }).click();
    await device.locator('.slot.shown').getByText('Welcome to quay Q008').waitFor();
    const preview = desk.frameLocator('iframe[title="Preview of Upright"]');
    await preview.locator('.slot.shown').waitFor();
    await until(async () => /Q008/.test((await preview.locator('.slot.shown').textContent()) ?? ''));
    await desk.goto(`${stand.house.url}/console/screens?state=fine`);
    await desk.getByRole('link', { name: 'Upright' }).waitFor();
    // A playlist is changed, looked at before it is published, and arrives.
    await desk.goto(`${stand.house.url}/console/playlists/quay-screen`);
    const publishes = desk.getByRole('button', { name: 'Preview' });
    await desk.getByLabel(/^Text/).fill('Mind the step at {quay}');
    assert.ok(await publishes.isDisabled(), 'what is not saved is not published');
    await desk.getByRole('button', { name: 'Save', exact: true }).click();
    await publishes.click();
    await desk.getByText('added storm').waitFor();
    await desk.getByRole('button', { name: 'Publish', exact: true }).click();
    await device.locator('.slot.shown').getByText('Mind the step at Q008').waitFor();
    await wall.close();
  });
});
