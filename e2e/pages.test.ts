import assert from 'node:assert/strict';
import { createServer } from 'node:http';
import { after, before, describe, it } from 'node:test';
import type { Page } from 'playwright-core';
import type {} from '../packages/element/src/underBellElement.ts';
import { administrator, listen, manager, publisher, type House } from '../packages/service/test/house.ts';
import { findings } from './accessible.ts';
import { BrowserHouse } from './browserHouse.ts';

interface Measured {
  /** Pixels. */
  readonly smallest: number;
  readonly overlaps: boolean;
  readonly width: number;
}
const fits = ({ smallest, overlaps, width }: Measured, most: number) => smallest >= 11 && !overlaps && width <= most;

/** What is drawn, measured within the page. */
function measure(): Measured {
  const sizes = [...document.querySelectorAll('.page *')]
    .filter((one) => one.childNodes.length > 0 && one.textContent?.trim() && !one.closest('.unseen'))
    .map((one) => Number.parseFloat(getComputedStyle(one).fontSize));
  const boxes = [...document.querySelectorAll('section.figure')].map((one) => one.getBoundingClientRect());
  const overlaps = boxes.some((a, i) =>
    boxes
      .slice(i + 1)
      .some((b) => a.left < b.right - 1 && b.left < a.right - 1 && a.top < b.bottom - 1 && b.top < a.bottom - 1),
  );
  return { smallest: Math.min(...sizes), overlaps, width: document.documentElement.scrollWidth };
}

describe('every page', () => {
  let stand: BrowserHouse;
  let house: House;
  let page: Page;
  before(async () => {
    stand = await BrowserHouse.open();
    ({ house } = stand);
  });
  after(() => stand.close());

  /** A page for each person; whoever comes back has its files already. */
  const pages = new Map<string | undefined, Page>();
  async function pageOf(person: string | undefined): Promise<Page> {
    const known = pages.get(person);
    if (known) return known;
    const made = await stand.page(person, { reducedMotion: 'reduce', bypassCSP: true });
    pages.set(person, made);
    return made;
  }
  async function open(path: string, options: { as?: string; width?: number } = {}): Promise<void> {
    page = await pageOf(options.as);
    await page.setViewportSize({ width: options.width ?? 1280, height: 800 });
    await page.emulateMedia({ colorScheme: 'light' });
    await page.goto(`${house.url}${path}`);
  }
  /** @param hasOwnColours - whether the page keeps its colours, whatever its reader prefers */
  async function canBeUsed(hasOwnColours = false): Promise<void> {
    assert.deepEqual(await findings(page), []);
    const before = await page.evaluate(() => getComputedStyle(document.body).backgroundColor);
    await page.emulateMedia({ colorScheme: 'dark' });
    if (!hasOwnColours)
      await page.waitForFunction((light) => getComputedStyle(document.body).backgroundColor !== light, before);
    // In the dark a page differs in its colours alone; charts far below take theirs when there is time.
    const dark = () => findings(page, 'color-contrast');
    let found = await dark();
    for (let i = 0; i < 30 && found.length > 0; i++) {
      await page.waitForTimeout(100);
      found = await dark();
    }
    assert.deepEqual(found, [], 'in the dark');
  }

  it('of the viewer can be used by everybody', async () => {
    await open('/v/quay-page', { as: manager });
    await page.getByText('Quay is Q017').waitFor();
    await page.locator('section.bar .chart svg').first().waitFor();
    await canBeUsed();
    await open('/v/quay-page');
    await page.getByRole('heading', { name: 'Sign in' }).waitFor();
    await canBeUsed();
  });

  it('of a screen that waits can be used by everybody', async () => {
    await open('/screen');
    await page.getByText('Pair this screen').waitFor();
    await canBeUsed(true);
  });

  for (const [path, text] of [
    ['/console/', 'Recent runs'],
    ['/console/reports', 'A report has one stable name'],
    ['/console/reports/quay-punctuality', 'First edition'],
    ['/console/reports/publish', 'Drop report or board files'],
    ['/console/reports/quay-punctuality/edit', 'Edit Quay punctuality'],
    ['/console/placements', 'Placements show reports'],
    ['/console/placements/new', 'Punctuality of the network'],
    ['/console/placements/quay-page', 'Snippets'],
    ['/console/placements/quay-page/element', 'Number of elements'],
    ['/console/placements/quay-page/record', 'No filter uses a record field yet.'],
    ['/console/screens', 'All screens and their status'],
    ['/console/playlists/quay-screen', 'Add slot'],
    ['/console/media', 'Images and videos for screens'],
    ['/console/apps', 'Business apps show reports'],
    ['/console/channels', 'A channel placement shows a report'],
    ['/console/channels/new', 'Announcements'],
    ['/console/chat-servers', 'Matrix chat servers'],
    ['/console/reports/quay-punctuality/preview-as?as=quay17@skerrow.example', 'remaining rows'],
    ['/console/data', 'Sailings'],
    ['/console/data/sailings', 'own-quay'],
    ['/console/data/upload', 'Select a file'],
    ['/console/account', 'Change password'],
    ['/console/redirects', 'Old names redirect'],
    ['/console/data/sql', 'The query reads from a data source'],
    ['/console/data/sailings/sql', 'SQL of sailings'],
    ['/console/data/sources', 'skerrow_reports'],
    ['/console/data/synced', 'Create synced file'],
    ['/console/data/refreshes', 'Next runs'],
    ['/console/boards', 'The harbour at a glance'],
    ['/console/boards/harbour', 'Mean delay by vessel'],
    ['/console/trash', 'Trash is empty'],
    ['/console/folders/operations', 'Folder page: each user'],
    ['/console/access/users', 'Ada Arkwell'],
    ['/console/access/groups', 'District leads'],
    ['/console/access/user-attributes', 'Values of users'],
    ['/console/access/clients', 'harbour-portal'],
    ['/console/access/requests', 'No pending requests'],
    ['/console/access/active', 'harbour-portal'],
    ['/console/bursts', 'Monthly quay pack'],
    ['/console/bursts/quay-pack', 'No runs yet'],
    ['/console/bursts/quay-rows', 'Schedule: after a refresh of its data'],
    ['/console/bursts/kiosk-takings/edit', 'No errors.'],
    ['/console/lists', 'quay-managers'],
    ['/console/lists/quay-managers', 'Q017'],
    ['/console/destinations', 'harbour-archive'],
    ['/console/workbook-templates', 'quay-book'],
    ['/console/holiday-calendars', 'Office closed'],
  ] as const)
    it(`${path} can be used by everybody, on a phone too`, async () => {
      await open(path, { as: publisher });
      await page.getByText(text).first().waitFor();
      await canBeUsed();
      await page.setViewportSize({ width: 400, height: 800 });
      const beyond = await page.evaluate(() => document.documentElement.scrollWidth);
      assert.ok(beyond <= 400, `${beyond} pixels`);
    });

  it('the start of who only reads holds what is theirs, and nothing of a publisher’s', async () => {
    await open('/console/', { as: manager });
    await page.getByRole('link', { name: 'Quay punctuality' }).first().waitFor();
    assert.equal(await page.getByRole('link', { name: 'Bursts' }).count(), 0);
    assert.equal(await page.getByText('Preview a burst').count(), 0);
    await canBeUsed();
  });

  it('/f/operations can be used by everybody, on a phone too', async () => {
    await open('/f/operations', { as: manager });
    await page.locator('.cards img').first().waitFor();
    await canBeUsed();
    await page.setViewportSize({ width: 400, height: 800 });
    assert.ok((await page.evaluate(() => document.documentElement.scrollWidth)) <= 400);
    await page.getByRole('link', { name: 'Operations screen' }).click();
    await page.locator('section.figure').first().waitFor();
  });

  it('/console/access/audit-log can be used by everybody', async () => {
    await open('/console/access/audit-log', { as: administrator });
    await page.getByText('Verify log').waitFor();
    await canBeUsed();
  });

  it('/console/usage can be used by everybody', async () => {
    await open('/console/usage', { as: 'osric.hale@skerrow.example' });
    await page.getByRole('cell').first().waitFor();
    await canBeUsed();
  });

  for (const path of [
    '/r/punctuality',
    '/r/punctuality?page=vessels',
    '/r/punctuality?page=routes',
    '/r/punctuality?page=sailings',
    '/r/takings',
    '/r/berth-works',
    '/b/operations-wall',
    '/b/harbour',
  ])
    it(`${path} can be used by everybody`, async () => {
      await open(path, { as: publisher });
      await page.locator('section.figure').first().waitFor();
      await page.locator('section.figure .chart svg, section.figure table').first().waitFor();
      await canBeUsed(path.startsWith('/b/'));
    });

  it('to sign in can be used by everybody', async () => {
    await open('/console/sign-in');
    await page.getByRole('button', { name: 'Sign in' }).waitFor();
    await canBeUsed();
  });

  for (const [path, as] of [
    ['/v/quay-page', manager],
    ['/r/punctuality', publisher],
    ['/r/punctuality?page=vessels', publisher],
    ['/r/takings', publisher],
    ['/b/harbour', publisher],
  ] as const)
    it(`${path} fits into 280 to 1280 pixels, with no text under 11 pixels`, async () => {
      // It begins as narrow as it can be; then the same page is drawn anew for each width.
      await open(path, { as, width: 280 });
      await page.locator('section.bar .chart svg text').first().waitFor();
      for (const width of [280, 400, 768, 1280]) {
        await page.setViewportSize({ width, height: 800 });
        let seen = await page.evaluate(measure);
        for (let i = 0; i < 50 && !fits(seen, width); i++) {
          await page.waitForTimeout(100);
          seen = await page.evaluate(measure);
        }
        assert.ok(fits(seen, width), `${JSON.stringify(seen)} in ${width}`);
      }
    });

  it('that does not exist says so', async () => {
    await open('/console/nowhere', { as: publisher });
    await page.getByText('Page not found').waitFor();
  });

  it('leaves the bar away in bare mode', async () => {
    await open('/v/quay-page?bare', { as: manager });
    await page.getByText('Quay is Q017').waitFor();
    assert.equal(await page.locator('.page > header').count(), 0);
  });
});

describe('the element in a host page', () => {
  let stand: BrowserHouse;
  let house: House;
  before(async () => {
    stand = await BrowserHouse.open();
    ({ house } = stand);
  });
  after(() => stand.close());

  let content = '';
  let token: { status: number; body: object };
  const server = createServer((request, response) => {
    const isToken = request.url?.split('?')[0] === '/own-token';
    response.writeHead(isToken ? token.status : 200, { 'Content-Type': isToken ? 'application/json' : 'text/html' });
    response.end(isToken ? JSON.stringify(token.body) : content);
  });
  let origin: string;
  before(async () => {
    origin = `http://127.0.0.1:${await listen(server)}`;
    await house.call('PUT', '/api/v1/placements/own-page', {
      as: publisher,
      body: { kind: 'portal', title: 'Own', report: 'quay-punctuality', origins: [origin] },
    });
  });
  after(() => {
    server.closeAllConnections();
    server.close();
  });

  /** A host page with an element, and what its server answers for a token. */
  async function host(html: string, answer: { status: number; body: object }): Promise<Page> {
    content = `<!doctype html><script type="module" src="${house.url}/element.js"></script>${html}`;
    token = answer;
    const page = await stand.page();
    await page.goto(origin);
    return page;
  }
  const element = (attributes: string) => `<under-bell src="${house.url}/v/own-page" ${attributes}></under-bell>`;
  const good = async () => (await (await fetch(`${house.portalUrl}/report-token?quay=Q017`)).json()) as object;

  it('tells its host what happens, and follows what that sets without loading anew', async () => {
    // Listening begins before the element is there, since its first word may come while the page still loads.
    const listening = `<script>
      window.told = [];
      for (const type of ['ready', 'selection', 'problem', 'height'])
        document.addEventListener(type, (event) => told.push({ type, detail: event.detail }));
    </script>`;
    const page = await host(`${listening}${element('token-url="/own-token"')}`, { status: 200, body: await good() });
    const events = () =>
      page.evaluate(() => (window as unknown as { told: { type: string; detail: Record<string, unknown> }[] }).told);
    const frame = page.frameLocator('under-bell iframe');
    await frame.getByText('Quay is Q017').waitFor();
    // What is loaded from here on is loaded anew: the frame's own first document is there.
    const documents: string[] = [];
    page.on('request', (request) => {
      if (request.resourceType() === 'document') documents.push(request.url());
    });
    await page.evaluate(() => {
      document.querySelector('under-bell')!.filter = 'cancelled = FALSE';
    });
    await frame.getByText('Cancelled is no').waitFor();
    await page.evaluate(() => {
      document.querySelector('under-bell')!.filter = 'no_such_column = 1';
    });
    await frame.getByRole('alert').waitFor();
    await page.evaluate(() => {
      document.querySelector('under-bell')!.filter = null;
    });
    const mark = frame.locator('.marks button').first();
    await mark.focus();
    await mark.press('Enter');
    await frame.locator('button.own').waitFor();
    const told = await events();
    const of = (type: string) => told.filter((one) => one.type === type).map((one) => one.detail);
    assert.ok(of('ready').some((one) => one['page'] === 'overview'));
    assert.ok(of('height').some((one) => Number(one['height']) > 300));
    assert.deepEqual(
      of('problem').map((one) => one['code']),
      ['FILTER_UNKNOWN_COLUMN'],
    );
    assert.equal((of('selection')[0]!['values'] as string[]).length, 1, 'its own token shows the values');
    assert.deepEqual(documents, [], 'nothing was loaded anew');
    // Another record is another token in the same frame.
    token = { status: 200, body: (await (await fetch(`${house.portalUrl}/report-token?quay=Q018`)).json()) as object };
    await page.evaluate(() => {
      document.querySelector('under-bell')!.record = { quay: 'Q018' };
    });
    await frame.getByText('Quay is Q018').waitFor();
    assert.deepEqual(documents, []);
  });

  it('works in shadow roots, taken out and put back, and thirty times on a page', async () => {
    const page = await host('<div id="around"></div>', { status: 200, body: await good() });
    await page.evaluate((source) => {
      const around = document.getElementById('around')!;
      const inside = document.createElement('div');
      around.append(inside);
      const made = document.createElement('under-bell');
      made.setAttribute('src', source);
      made.setAttribute('token-url', '/own-token');
      inside.attachShadow({ mode: 'open' }).append(made);
    }, `${house.url}/v/own-page`);
    const frame = page.frameLocator('under-bell iframe').first();
    await frame.getByText('Quay is Q017').waitFor();
    await page.evaluate(() => {
      const root = document.querySelector('#around > div')!.shadowRoot!;
      const made = root.querySelector('under-bell')!;
      made.remove();
      root.append(made);
    });
    await frame.getByText('Quay is Q017').waitFor();
    await page.evaluate((source) => {
      for (let i = 0; i < 30; i++) {
        const made = document.createElement('under-bell');
        made.setAttribute('src', source);
        made.setAttribute('token-url', '/own-token');
        document.body.append(made);
      }
    }, `${house.url}/v/own-page`);
    const all = page.locator('body > under-bell');
    await all.nth(29).waitFor();
    for (const i of [0, 15, 29]) {
      // Those that nobody has scrolled to are not loaded yet.
      await all.nth(i).scrollIntoViewIfNeeded();
      await all.nth(i).locator('iframe').contentFrame().getByText('Quay is Q017').waitFor({ timeout: 60_000 });
    }
  });

  it('lets a reader sign in, in a window of its own, where the frame gets no cookie', async () => {
    // Another name is another site: the browser sends the frame no cookie of ours.
    const foreign = origin.replace('127.0.0.1', 'localhost');
    await house.call('PUT', '/api/v1/placements/own-page', {
      as: publisher,
      body: { kind: 'portal', title: 'Own', report: 'quay-punctuality', origins: [origin, foreign] },
    });
    const plain = `<iframe id="plain" src="${house.url}/v/own-page" width="900" height="600"></iframe>`;
    content = `<!doctype html><script type="module" src="${house.url}/element.js"></script>${element('')}${plain}`;
    const page = await stand.page();
    await page.goto(foreign);
    const frame = page.frameLocator('under-bell iframe');
    await page.frameLocator('#plain').getByRole('button', { name: 'Sign in' }).waitFor();
    const [popup] = await Promise.all([
      page.waitForEvent('popup'),
      frame.getByRole('button', { name: 'Sign in' }).click(),
    ]);
    assert.equal(new URL(popup.url()).pathname, '/sign-in/window');
    await popup.getByLabel('Email').fill(manager);
    await popup.getByLabel('Password').fill('lantern-quay-7');
    await Promise.all([popup.waitForEvent('close'), popup.getByRole('button', { name: 'Sign in' }).click()]);
    await frame.getByText('Quay is Q017').waitFor();
    // Once is enough for every frame of the page.
    const plainFrame = page.frameLocator('#plain');
    await plainFrame.getByText('Quay is Q017').waitFor();
    // On the next page of the tab nothing is typed again: where frames may keep nothing, the window closes by itself.
    await page.reload();
    const again = frame.getByRole('button', { name: 'Sign in' });
    await frame.getByText('Quay is Q017').or(again).first().waitFor();
    if (await again.isVisible()) {
      const [next] = await Promise.all([page.waitForEvent('popup'), again.click()]);
      if (!next.isClosed()) await next.waitForEvent('close');
    }
    await frame.getByText('Quay is Q017').waitFor();
    await plainFrame.getByText('Quay is Q017').waitFor();
    assert.ok(page.frames().every((one) => !/ubs_/.test(one.url())));
    // Another host's page shares nothing of it, not even in the same browser.
    const other = await page.context().newPage();
    const elsewhere = origin.replace('127.0.0.1', '127.0.0.2');
    const framed = `<!doctype html><iframe src="${house.url}/v/own-page"></iframe>`;
    await other.route(`${elsewhere}/**`, (route) => route.fulfill({ contentType: 'text/html', body: framed }));
    await other.goto(elsewhere);
    assert.equal(await other.frameLocator('iframe').getByText('Quay is Q017').count(), 0);
    // Signed out everywhere, the key opens nothing any more.
    await house.app.records.query("DELETE FROM sessions WHERE kind = 'frame'");
    await page.reload();
    await frame.getByRole('button', { name: 'Sign in' }).waitFor();
  });

  it('fits the frame to what is in it, and names it', async () => {
    const page = await host(element('token-url="/own-token" title="Punctuality"'), {
      status: 200,
      body: await good(),
    });
    await page.frameLocator('under-bell iframe').getByText('Quay is Q017').waitFor();
    await page.waitForFunction(
      () => (document.querySelector('under-bell')?.shadowRoot?.querySelector('iframe')?.clientHeight ?? 0) > 900,
    );
    assert.equal(await page.locator('under-bell iframe').getAttribute('title'), 'Punctuality');
  });

  it('renews the token before it runs out, without a flicker', async () => {
    const page = await host(element('token-url="/own-token"'), {
      status: 200,
      body: { ...(await good()), expires_in: 1 },
    });
    let asked = 0;
    page.on('request', (request) => (asked += request.url().endsWith('/own-token') ? 1 : 0));
    await page.frameLocator('under-bell iframe').getByText('Quay is Q017').waitFor();
    while (asked < 2) await page.waitForTimeout(100);
    assert.equal(await page.frameLocator('under-bell iframe').getByText('Quay is Q017').count(), 1);
  });

  it("says so when the host's server gives no token, and shows nothing", async () => {
    const page = await host(element('token-url="/own-token"'), { status: 502, body: { error: 'invalid_client' } });
    await page.frameLocator('under-bell iframe').getByText('could not get access').waitFor();
    assert.equal(await page.frameLocator('under-bell iframe').locator('section.figure').count(), 0);
  });

  it('asks to sign in when no token is offered', async () => {
    const page = await host(element(''), { status: 200, body: {} });
    await page.frameLocator('under-bell iframe').getByText('Sign in to see this report').waitFor();
  });

  it('says so when its address is none', async () => {
    const page = await host('<under-bell src="http://"></under-bell>', { status: 200, body: {} });
    await page.getByText('is not a URL').waitFor();
  });
});
