import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import sharp from 'sharp';
import type { ShownGroup, ShownScreen, WaitingDevice } from '@underbell/core/screen';
import { setupOf } from '../../src/screen/schedule.ts';
import { findScreen } from '../../src/screen/store.ts';
import { rendersOf, scheduledSlotOf } from '../../src/screen/imageMode/draw.ts';
import { until } from '../house.ts';
import { makeVideo, moving } from '../media/pictures.ts';
import { owner } from '../smallHouse.ts';
import { at, codeIn, PictureStream, PlainBrowser, type ActiveAccessPage } from './plainBrowser.ts';
import { Device, playlist, ScreenHouse, workSlot } from './screenHouse.ts';

describe('a screen without scripts', () => {
  let screens: ScreenHouse;
  /** How far the service's clock has gone on. */
  let ahead = 0;
  before(async () => {
    screens = await ScreenHouse.open({ now: () => Date.now() + ahead });
    const slots = [workSlot({ seconds: 3_600 })];
    assert.equal((await screens.save(playlist({ slots }))).status, 200);
    assert.equal((await screens.publish()).status, 200);
  });
  after(() => screens.close());

  async function pair(name: string, quay = 'Q1'): Promise<PlainBrowser> {
    const browser = new PlainBrowser(screens.url);
    const code = codeIn(await browser.page())!;
    assert.equal(codeIn(await browser.page()), code, 'the same code while somebody may type it');
    const made = await screens.type(code, screens.screenBody(name, { quay }));
    assert.equal(made.status, 201, made.text);
    ahead += 10_000;
    assert.match(await browser.page(), /url\(\/screen\/picture\/now/);
    return browser;
  }
  const shown = async (name: string) =>
    (await screens.call('GET', `/api/v1/screens/${name}`, owner)).body as unknown as ShownScreen;

  // First, while proofs that are made by the real clock are those of now.
  it('is no other screen: its key opens nothing that a proven key opens, and the other way round', async () => {
    const browser = await pair('apart');
    const key = browser.cookie.replace('underbell_screen=key.', '');
    const device = await Device.start(screens.url);
    device.tokens = { access_token: key, token_type: 'dpop', refresh_token: key } as never;
    await assert.rejects(device.renew());
    assert.equal((await device.request('GET', '/api/v1/screen/schedule')).status, 401);
    const live = await screens.pair('live');
    const answer = await new PlainBrowser(screens.url).picture('', {
      Cookie: `underbell_screen=key.${live.tokens!.refresh_token}`,
    });
    assert.equal(answer.status, 401);
    assert.equal((await live.call('GET', '/api/v1/screen/schedule')).status, 200, 'which took nothing from it');
  });

  it('shows a code that comes again by itself, and says of itself that it shows pictures', async () => {
    const browser = new PlainBrowser(screens.url);
    const first = await browser.open();
    await first.leave();
    const { answer, text: page } = first;
    assert.match(answer.headers.get('content-security-policy')!, /default-src 'none'/);
    assert.doesNotMatch(page, /<script/);
    assert.match(page, /<meta http-equiv="refresh" content="60">/);
    assert.match(page, /<svg/, 'its code to be scanned');
    const { device } = (await screens.call('GET', `/api/v1/pairing-codes/${codeIn(page)}`, owner))
      .body as unknown as WaitingDevice;
    assert.equal(device.isPicture, true);
  });

  it('shows its own rows as a picture of its size, which is not sent again while it is the same', async () => {
    const browser = await pair('plain-one');
    const answer = await browser.picture('?width=1280&height=720');
    assert.equal(answer.headers.get('content-type'), 'image/png');
    const { width, height } = await sharp(Buffer.from(await answer.arrayBuffer())).metadata();
    assert.deepEqual([width, height], [1280, 720]);
    const tag = answer.headers.get('etag')!;
    assert.equal((await browser.picture('?width=1280&height=720', { 'If-None-Match': tag })).status, 304);
    assert.notEqual((await browser.picture('?width=1920&height=1080')).headers.get('etag'), tag);
    // Whoever looks after it sees it as it stands there.
    await browser.picture('?width=1080&height=1920');
    await until(async () => (await shown('plain-one')).shown?.height === 1920);
    const { house } = screens.small;
    const seen = await fetch(`${screens.url}/api/v1/screens/plain-one/screenshot`, {
      headers: { Authorization: `Bearer ${await house.keyOf(owner)}` },
    });
    const stands = await sharp(Buffer.from(await seen.arrayBuffer())).metadata();
    assert.deepEqual([stands.format, stands.width, stands.height], ['webp', 270, 480]);
    // What no wall has is answered as if nothing were said.
    for (const words of ['?width=1&height=1', '?width=99999&height=99999', '?width=x', '?width=-5&height=5']) {
      const odd = await sharp(Buffer.from(await (await browser.picture(words)).arrayBuffer())).metadata();
      assert.deepEqual([odd.width, odd.height], [1920, 1080], words);
    }
    const {
      showsBy,
      state,
      shown: now,
    } = await until(async () => {
      const found = await shown('plain-one');
      return found.state === 'fine' ? found : undefined;
    });
    assert.deepEqual([showsBy, state, now?.slot, now?.has?.['quays']], ['picture', 'fine', 'works', 1]);
  });

  it('is drawn once for any number of equal screens, and never with the rows of another', async (t) => {
    const { app } = screens.small.house;
    const equal = await Promise.all(['a', 'b', 'c', 'd', 'e', 'f'].map((one) => pair(`equal-${one}`, 'Q3')));
    const other = await pair('other', 'Q4');
    const before = rendersOf(app);
    const tags = await Promise.all(equal.map(async (one) => (await one.picture()).headers.get('etag')));
    assert.equal(new Set(tags).size, 1);
    assert.equal(rendersOf(app) - before, 1);
    assert.notEqual((await other.picture()).headers.get('etag'), tags[0]);
    assert.equal(rendersOf(app) - before, 2);
    // What is drawn is what was found for this screen, and for no other.
    for (const [name, quay] of [
      ['equal-a', 'Q3'],
      ['other', 'Q4'],
    ] as const) {
      const setup = await setupOf(app, (await findScreen(app, name))!);
      const { found } = await scheduledSlotOf(app, setup);
      assert.ok(found.content.kind === 'page');
      const rows = found.content.page.results.get('rows')!.rows;
      assert.equal(rows.length, 10);
      assert.ok(rows.every((row) => row[1] === quay));
    }
    t.diagnostic(`7 screens, ${rendersOf(app) - before} pictures drawn`);
  });

  it('is dark when its key is ended, asks for another code, and is known by nothing but its cookie', async () => {
    const browser = await pair('ended');
    const { cookie } = browser;
    for (const wrong of ['', 'underbell_screen=key.ubr_guess', 'underbell_screen=device.ubd_guess'])
      assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: wrong })).status, 401, wrong);
    const page = await browser.open();
    await screens.small.fine('POST', '/api/v1/screens/ended/unpair', undefined, owner);
    await page.whole();
    assert.match(page.text, /\.picture,\.again,\.ended,\.since,\.late\{display:none\}[^]*This screen is unpaired/);
    assert.match(page.text, /http-equiv="refresh" content="60"/);
    // A page that had heard nothing lays this over the picture that it has.
    const dark = await browser.picture('?again=3&width=1280&height=720');
    assert.deepEqual([dark.status, dark.headers.get('content-type')], [401, 'image/png']);
    assert.equal((await sharp(Buffer.from(await dark.arrayBuffer())).metadata()).width, 1280);
    assert.equal(browser.cookie, '', 'and it holds nothing any more');
    browser.cookie = cookie;
    assert.match(await browser.page(), /This screen is unpaired/);
    assert.equal(browser.cookie, '');
    assert.ok(codeIn(await browser.page()));
    assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: cookie })).status, 401);
  });

  it('renews what it holds by the hour; the one before holds until the new one was used, and after that ends both', async () => {
    const browser = await pair('renewed');
    const first = browser.cookie;
    ahead += 3_700_000;
    await browser.page();
    const second = browser.cookie;
    assert.notEqual(second, first);
    // Two pages that come together take nothing from each other.
    browser.cookie = first;
    assert.match(await browser.page(), /class="picture"/);
    assert.equal(browser.cookie, first);
    assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: second })).status, 200);
    // As if the answer had been lost: the old one counts, and it is given another.
    ahead += 120_000;
    assert.match(await browser.page(), /class="picture"/);
    const third = browser.cookie;
    assert.notEqual(third, second);
    assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: third })).status, 200);
    // What was guessed ends nothing; what counted once, somebody else has.
    const family = third.split('.', 2).join('.');
    for (const guess of [`${family}.k_guess`.replace('ubr_', 'ubr_x'), 'underbell_screen=key.ubr_guess.k_guess'])
      assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: guess })).status, 401);
    assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: third })).status, 200);
    assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: second })).status, 401);
    assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: third })).status, 401, 'both are dark');
  });

  it('says its name when it is told to, and shows no video', async () => {
    const browser = await pair('named');
    const page = await browser.open();
    await screens.small.fine('POST', '/api/v1/screens/named/commands', { order: 'show name' }, owner);
    await page.until(/&name=yes/);
    assert.notEqual(
      (await browser.picture('?name=yes')).headers.get('etag'),
      (await browser.picture()).headers.get('etag'),
    );
    await screens.small.fine('POST', '/api/v1/screens/named/commands', { order: 'reload' }, owner);
    await page.whole();
    assert.match(page.text, /http-equiv="refresh" content="0"/);
    const webm = await makeVideo('webm', ...moving(0.2), '-c:v', 'libvpx');
    const put = await screens.small.house.call('PUT', '/api/v1/media/clip?file=clip.webm', { as: owner, csv: webm });
    assert.equal(put.status, 200, put.text);
    const slots = [{ name: 'clip', shows: { media: 'clip' }, seconds: 10 }];
    assert.equal((await screens.save(playlist({ name: 'clips', slots }))).status, 200);
    const refused = await screens.publish('clips');
    assert.equal(refused.body.code, 'PLAYLIST_MISFIT');
    assert.match(refused.text, /in image mode/);
  });

  it('is told on the page that it has: the next picture when there is another, and nothing of it while it is the same', async () => {
    const browser = await pair('told');
    const page = await browser.open();
    const pictures = () => [...page.text.matchAll(/id="p(\d+)"/g)].map(([, number]) => Number(number));
    assert.deepEqual(pictures(), [1]);
    assert.match(page.text, /offline since \d\d:\d\d/);
    const { leaseHours, worryMinutes } = (await screens.call('GET', '/api/v1/screen-groups/quays', owner))
      .body as unknown as ShownGroup;
    assert.ok(page.text.includes(`.late.w1{animation-delay:${leaseHours * 3_600}s}`));
    const [, worry] = /worry 1s step-start (\d+)s/.exec(page.text)!;
    assert.ok(Number(worry) <= worryMinutes * 60 && Number(worry) >= 45, worry);
    // What concerns others changes nothing here.
    await screens.small.fine('PUT', '/api/v1/screen-groups/elsewhere', { title: 'Elsewhere' }, owner);
    const slots = [{ name: 'storm', shows: { text: 'Storm over {quay}' }, seconds: 3_600 }];
    const before = (await browser.picture()).headers.get('etag');
    assert.equal((await screens.save(playlist({ slots }))).status, 200);
    assert.equal((await screens.publish()).status, 200);
    await page.until(/id="p2"/);
    assert.notEqual((await browser.picture()).headers.get('etag'), before);
    await screens.small.fine('POST', '/api/v1/playlists/quays/rollback', { revision: 1 }, owner);
    await page.until(/id="p3"[^]*display:none|display:none[^]*id="p3"/);
    assert.deepEqual(pictures(), [1, 2, 3]);
    // One that never came is told of again, and one that came is not.
    const marks = () => [...page.text.matchAll(/#p(\d+)\{background-image:url\([^)]*&of=([\w-]+)\)/g)];
    const [, , mark] = marks().findLast(([, number]) => number === '3')!;
    const more = async () => {
      ahead += 21_000;
      const words = page.text.match(/class="since w/g)!.length;
      await screens.small.fine('PUT', '/api/v1/screen-groups/quays', { title: `Quays ${ahead}` }, owner);
      await page.until(new RegExp(`class="since w${words + 1}"`));
    };
    await more();
    assert.deepEqual(pictures(), [1, 2, 3, 4]);
    assert.ok(marks().some(([, number, one]) => number === '4' && one === mark));
    assert.equal((await browser.picture(`?width=1920&height=1080&of=${mark}`)).status, 200);
    await more();
    assert.deepEqual(pictures(), [1, 2, 3, 4]);
    // The size that it has found by itself is that in which it asks when nothing more comes.
    const frames = () => [...page.text.matchAll(/class="again (f\d)"[^>]* src="([^"]*)"/g)].map(([, ...one]) => one);
    const asking = (size: string) => `/screen/picture/again?${size}`;
    assert.deepEqual(frames(), [['f1', asking('width=1920&amp;height=1080')]]);
    assert.equal((await browser.picture('?width=1080&height=1920')).status, 200);
    await more();
    assert.deepEqual(frames()[1], ['f2', asking('width=1080&amp;height=1920')]);
    assert.match(page.text, /\.f1\{display:none\}/);
    // It lives by what it asks, not by what it was told.
    assert.equal((await browser.get(`${at}/here?1`)).status, 204);
    assert.equal((await new PlainBrowser(screens.url).get(`${at}/here?1`)).status, 401);
    await page.leave();
  });

  it('holds few pages open for one device, and few for those who only have a code', async () => {
    const browser = await pair('many');
    const open: ActiveAccessPage[] = [];
    for (let i = 0; i < 5; i++) open.push(await browser.open());
    await assert.rejects(open[0]!.whole(), 'the first of them was left alone');
    for (const page of open.slice(1)) await page.leave();
    const waiting = new PlainBrowser(screens.url);
    const code = codeIn(await waiting.page())!;
    const held: ActiveAccessPage[] = [];
    for (let i = 0; i < 201; i++) held.push(await waiting.open());
    const isWhole = (page: ActiveAccessPage) => page.text.endsWith('</html>\n');
    assert.deepEqual([isWhole(held[199]!), isWhole(held[200]!)], [false, true]);
    assert.match(held[200]!.text, /http-equiv="refresh" content="5"/);
    // All of them come again as soon as somebody has typed it.
    assert.equal((await screens.type(code, screens.screenBody('awaited', { quay: 'Q1' }))).status, 201);
    for (const page of held.slice(0, 200))
      assert.match(await page.whole(), /http-equiv="refresh" content="0">\n<\/body>/);
  });

  it('asks by itself when nothing more comes: step by step, never twice for the same, with what its page has', async () => {
    const html = async (path: string) => (await fetch(`${screens.url}${at}/${path}`)).text();
    const again = await html('again?width=1280&height=720');
    const words = 'width=1280&height=720';
    const rules = [
      ...again.matchAll(
        /^@media \(min-height:([\d.]+)px\) and \(max-height:([\d.]+)px\)\{#b(\d)\{z-index:(\d+);background-image:url\(live\?again=(\d+)&([^)]+)\),url\(now\?again=(\d+)&([^)]+)\)\}\}$/gm,
      ),
    ].map(([, ...found]) => found);
    assert.ok(rules.every(([, , , , live, size, now, also]) => live === now && size === words && also === words));
    const numbers = rules.map((one) => one.slice(0, 5).map(Number) as [number, number, number, number, number]);
    const last = numbers.pop()!;
    // Each lies over the one before until the one after the next: heights, place, level and address are another each time.
    for (const [i, [from, to, place, level, address]] of numbers.entries())
      assert.deepEqual([from, to, place, level, address], [8_000 + i - 0.5, 8_000 + i + 1.5, i % 3, i + 1, i]);
    const { text: page } = await (await pair('again')).open();
    const risings = Object.fromEntries(
      [...page.matchAll(/@keyframes (\w+)\{(.*)\}$/gm)].map(([, name, frames]) => [
        name,
        [...frames!.matchAll(/height:(\d+)px/g)].map(([, height]) => Number(height)),
      ]),
    );
    assert.deepEqual(risings['again0'], [8_000, 8_060, 8_170]);
    assert.deepEqual(risings['round0'], [8_170, 8_000 + numbers.length]);
    // What the next round begins over is the last of the one before.
    assert.deepEqual(last, [8_169.5, 8_170.5, (numbers.length - 1) % 3, 0, numbers.length - 1]);
    assert.notEqual(last[2], numbers[170]![2]);
    const ended = await html('ended');
    const markers = [
      ...ended.matchAll(/\(min-height:([\d.]+)px\)\{i:nth-of-type\((\d+)\)\{background-image:url\(closed\?(\d+)\)/g),
    ];
    assert.equal(ended.match(/<i><\/i>/g)!.length, markers.length);
    assert.deepEqual(risings['ended0'], [8_000, 8_020, 8_042, 8_174, 8_000 + markers.length]);
    for (const [i, [, height, child, number]] of markers.entries())
      assert.deepEqual([height, child, number].map(Number), [8_000 + i - 0.5, i + 1, i]);
    // The page has both in itself: nothing is fetched once the network is gone. A size that nobody has is none.
    const inside = [...page.matchAll(/srcdoc="([^"]*)"/g)].map(([, text]) =>
      text!
        .replaceAll('&quot;', '"')
        .replaceAll('&#39;', "'")
        .replaceAll('&lt;', '<')
        .replaceAll('&gt;', '>')
        .replaceAll('&amp;', '&'),
    );
    assert.deepEqual(inside, [await html('again?width=1920&height=1080'), ended]);
    assert.equal(await html('again?width=</style>'), inside[0]);
  });

  it('is given one picture after the other when it asks by itself, and as the last one that it is closed', async () => {
    const browser = await pair('streamed');
    const size = '?width=1280&height=720';
    const open = async () => new PictureStream(await browser.get(`${at}/live${size}&again=0`));
    const now = async () => Buffer.from(await (await browser.picture(size)).arrayBuffer());
    assert.equal((await browser.get(`${at}/closed?0`)).status, 204);
    const stream = await open();
    assert.deepEqual(await stream.until(1), await now());
    const { width, height } = await sharp(stream.pictures[0]).metadata();
    assert.deepEqual([width, height], [1280, 720]);
    await until(async () => (await shown('streamed')).shown?.slot !== undefined);
    // Another program is there at once; what concerns others brings nothing.
    await screens.small.fine('PUT', '/api/v1/screen-groups/elsewhere', { title: `Elsewhere ${ahead}` }, owner);
    const slots = [{ name: 'storm', shows: { text: 'Storm over {quay}' }, seconds: 3_600 }];
    assert.equal((await screens.save(playlist({ slots }))).status, 200);
    assert.equal((await screens.publish()).status, 200);
    const storm = await stream.until(2);
    assert.notDeepEqual(storm, stream.pictures[0]);
    assert.deepEqual(storm, await now());
    // Of one step and the one before: the third takes the place of the first, and what that showed last stays as it ends.
    const second = await open();
    assert.deepEqual(await second.until(1), storm);
    const third = await open();
    assert.deepEqual(await third.until(1), storm);
    assert.deepEqual(await stream.last(), storm);
    await screens.small.fine('POST', '/api/v1/playlists/quays/rollback', { revision: 1 }, owner);
    for (const one of [second, third]) await one.until(2);
    // Its name, when it is asked for, is on both: which of them is seen, nobody here knows.
    await screens.small.fine('POST', '/api/v1/screens/streamed/commands', { order: 'show name' }, owner);
    for (const one of [second, third]) await one.until(3);
    assert.deepEqual(second.pictures[2], third.pictures[2]);
    for (let i = 0; i < 8; i++) await open();
    await second.last();
    await third.last();
    const last = await open();
    await last.until(1);
    await screens.small.fine('POST', '/api/v1/screens/streamed/unpair', {}, owner);
    const dark = await last.last();
    const nobody = new PlainBrowser(screens.url);
    assert.deepEqual(dark, Buffer.from(await (await nobody.picture(size)).arrayBuffer()));
    for (const one of [browser, nobody]) {
      const live = await one.get(`${at}/live${size}`);
      assert.deepEqual([live.status, live.headers.get('content-type')], [401, 'image/png']);
      assert.deepEqual(Buffer.from(await live.arrayBuffer()), dark);
      const closed = await one.get(`${at}/closed?1`);
      assert.deepEqual([closed.status, closed.headers.get('content-type')], [200, 'image/svg+xml']);
      assert.match(await closed.text(), /This screen is unpaired/);
    }
  });

  it('never shows an error page: whatever is wrong, it says something and looks again', async () => {
    const odd = [`${at}?width=%00`, `${at}?width=1&width=2`, `${at}?height[]=5`];
    for (const path of odd) {
      const answer = await fetch(`${screens.url}${path}`, { headers: { Cookie: 'underbell_screen=key.%00' } });
      assert.equal(answer.status, 200);
      assert.match(await answer.text(), /http-equiv="refresh"/);
    }
    // A crawler that keeps no cookie gets codes until it has had enough, and then none.
    let last = '';
    for (let i = 0; i < 70; i++) last = await new PlainBrowser(screens.url).page();
    assert.match(last, /Waiting for the service/);
    assert.equal(codeIn(last), undefined);
  });
});
