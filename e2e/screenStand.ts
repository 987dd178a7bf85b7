import assert from 'node:assert/strict';
import type { BrowserContext, Page } from 'playwright-core';
import type { ShownScreen } from '@underbell/core/screen';
import { administrator, publisher, type Answer } from '../packages/service/test/house.ts';
import { BrowserHouse } from './browserHouse.ts';

/** A page of the demo's report, of the screen's own quay. */
export const page1 = {
  name: 'punctuality',
  shows: { report: 'quay-punctuality', page: 'overview' },
  where: { sailings: "quay_id = screen('quay')" },
  seconds: 5,
};
export const words = (name: string, text: string, rest: object = {}) => ({
  name,
  shows: { text },
  seconds: 5,
  ...rest,
});

/** Browsers that hang on walls, and those who look after them. */
export class ScreenStand {
  readonly #contexts: BrowserContext[] = [];
  private constructor(readonly stand: BrowserHouse) {}

  static async open(): Promise<ScreenStand> {
    const made = new ScreenStand(await BrowserHouse.open());
    const attributes = [{ name: 'quay', label: 'Quay', type: 'text' }];
    await made.call('PUT', '/api/v1/screen-attributes', { attributes }, administrator);
    return made;
  }
  async close(): Promise<void> {
    await Promise.all(this.#contexts.map((one) => one.close().catch(() => undefined)));
    await this.stand.close();
  }

  async call(method: string, path: string, body?: unknown, as = publisher): Promise<Answer> {
    const answer = await this.stand.house.call(method, path, { as, ...(body === undefined ? {} : { body }) });
    assert.ok(answer.status < 300, `${method} ${path}: ${answer.text}`);
    return answer;
  }
  async shown(name: string): Promise<ShownScreen> {
    return (await this.call('GET', `/api/v1/screens/${name}`)).body as unknown as ShownScreen;
  }

  /** A group of its own with a playlist. */
  async group(name: string, slots: object[], limits: object = {}): Promise<void> {
    await this.call('PUT', `/api/v1/screen-groups/${name}`, { title: name, worryMinutes: 100_000, ...limits });
    await this.call('PUT', '/api/v1/playlists', {
      definition: { format: 'underbell-playlist/1', name, title: name, slots },
    });
    const targets = [{ kind: 'screen-group', name }];
    await this.call('POST', `/api/v1/playlists/${name}/publish`, { targets, give: true });
  }
  async pair(at: Page, name: string, of: string): Promise<void> {
    await at.goto(`${this.stand.house.url}/screen/`);
    const code = (await at.locator('.code').textContent())!;
    const said = { title: name, group: of, attributes: { quay: 'Q017' }, timeZone: 'Europe/Berlin', language: 'en' };
    await this.call('POST', `/api/v1/pairing-codes/${code}`, { name, ...said });
  }

  /** Closed with the stand. */
  keep(context: BrowserContext): BrowserContext {
    this.#contexts.push(context);
    return context;
  }
  async device(prepare: (page: Page) => Promise<void> = async () => undefined): Promise<Page> {
    const page = await this.keep(
      await this.stand.browser.newContext({ viewport: { width: 1280, height: 720 } }),
    ).newPage();
    page.setDefaultTimeout(60_000);
    await prepare(page);
    return page;
  }
  /** One whose questions can be held up: what a service worker fetches, nobody could. */
  async plainDevice(): Promise<Page> {
    const options = { viewport: { width: 1280, height: 720 }, serviceWorkers: 'block' } as const;
    return this.keep(await this.stand.browser.newContext(options)).newPage();
  }

  onWall(page: Page, text: string | RegExp): Promise<void> {
    return page.locator('.slot.shown').getByText(text).waitFor();
  }
  /** How much a player keeps under names that begin like this. */
  kept(page: Page, prefix = ''): Promise<number> {
    return page.evaluate(async (begin) => {
      const db = await new Promise<IDBDatabase>((resolve) => {
        const asked = indexedDB.open('underbell screen');
        asked.onsuccess = () => resolve(asked.result);
      });
      const names = await new Promise<IDBValidKey[]>((resolve) => {
        const asked = db.transaction('kept').objectStore('kept').getAllKeys();
        asked.onsuccess = () => resolve(asked.result);
      });
      db.close();
      return names.filter((one) => String(one).startsWith(begin)).length;
    }, prefix);
  }
}
