import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import sharp from 'sharp';
import type { ShownScreen, WaitingDevice } from '@underbell/core/screen';
import { setupOf } from '../../src/screen/program.ts';
import { findScreen } from '../../src/screen/store.ts';
import { rendersOf, turnOf } from '../../src/screen/picture/draw.ts';
import { owner } from '../smallHouse.ts';
import { Device, playlist, ScreenHouse, workSlot } from './screenHouse.ts';

const at = '/screen/picture';

/** A browser without scripts: it keeps cookies, follows addresses, and comes again when the page says so. */
class PlainBrowser {
  cookie = '';
  constructor(readonly url: string) {}

  async get(path: string, headers: Record<string, string> = {}): Promise<Response> {
    const answer = await fetch(`${this.url}${path}`, { headers: { Cookie: this.cookie, ...headers } });
    for (const one of answer.headers.getSetCookie()) {
      const [pair] = one.split(';');
      assert.match(one, /HttpOnly/i);
      if (!pair!.endsWith('=')) assert.match(one, /SameSite=Strict/i);
      assert.match(one, /Path=\/screen\/picture/i);
      this.cookie = pair!.endsWith('=') ? '' : pair!;
    }
    return answer;
  }
  page = async (words = '') => (await this.get(`${at}${words}`)).text();
  picture = async (words = '', headers: Record<string, string> = {}) => this.get(`${at}/now${words}`, headers);
}

const codeIn = (page: string) => /class="code">([^<]+)</.exec(page)?.[1];

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
    assert.match(await browser.page(), /<img src="\/screen\/picture\/now/);
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
    assert.equal((await device.request('GET', '/api/v1/screen')).status, 401);
    const live = await screens.pair('live');
    const answer = await new PlainBrowser(screens.url).picture('', {
      Cookie: `underbell_screen=key.${live.tokens!.refresh_token}`,
    });
    assert.equal(answer.status, 401);
    assert.equal((await live.call('GET', '/api/v1/screen')).status, 200, 'which took nothing from it');
  });

  it('shows a code that comes again by itself, and says of itself that it shows pictures', async () => {
    const browser = new PlainBrowser(screens.url);
    const first = await browser.get(at);
    const page = await first.text();
    assert.match(first.headers.get('content-security-policy')!, /default-src 'none'/);
    assert.doesNotMatch(page, /<script/);
    assert.match(page, /<meta http-equiv="refresh" content="5">/);
    assert.match(page, /<svg/, 'its code to be scanned');
    const { device } = (await screens.call('GET', `/api/v1/screen-codes/${codeIn(page)}`, owner))
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
    // What no wall has is answered as if nothing were said.
    for (const words of ['?width=1&height=1', '?width=99999&height=99999', '?width=x', '?width=-5&height=5']) {
      const odd = await sharp(Buffer.from(await (await browser.picture(words)).arrayBuffer())).metadata();
      assert.deepEqual([odd.width, odd.height], [1920, 1080], words);
    }
    const { showsBy, state, shown: now } = await shown('plain-one');
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
      const { found } = await turnOf(app, setup);
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
    await screens.small.fine('POST', '/api/v1/screens/ended/end', undefined, owner);
    assert.equal((await browser.picture()).status, 401);
    assert.match(await browser.page(), /This screen is closed/);
    assert.equal(browser.cookie, '', 'and it holds nothing any more');
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
    assert.match(await browser.page(), /<img/);
    assert.equal(browser.cookie, first);
    assert.equal((await new PlainBrowser(screens.url).picture('', { Cookie: second })).status, 200);
    // As if the answer had been lost: the old one counts, and it is given another.
    ahead += 120_000;
    assert.match(await browser.page(), /<img/);
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
    const tag = (await browser.picture()).headers.get('etag');
    await screens.small.fine('POST', '/api/v1/screens/named/orders', { order: 'show name' }, owner);
    await browser.page();
    assert.notEqual((await browser.picture()).headers.get('etag'), tag);
    // The first bytes of a WebM file are enough to be one.
    const webm = Buffer.from(
      '1a45dfa39f4286810142f7810142f2810442f381084282847765626d42878104428581021853806700',
      'hex',
    );
    const put = await screens.small.house.call('PUT', '/api/v1/media/clip?file=clip.webm', { as: owner, csv: webm });
    assert.equal(put.status, 200, put.text);
    const slots = [{ name: 'clip', shows: { media: 'clip' }, seconds: 10 }];
    assert.equal((await screens.save(playlist({ name: 'clips', slots }))).status, 200);
    const refused = await screens.publish('clips');
    assert.equal(refused.body.code, 'PLAYLIST_MISFIT');
    assert.match(refused.text, /pictures alone/);
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
    for (let i = 0; i < 70; i++) last = await (await fetch(`${screens.url}${at}`)).text();
    assert.match(last, /waits for the service/);
    assert.equal(codeIn(last), undefined);
  });
});
