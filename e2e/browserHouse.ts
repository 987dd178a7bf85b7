import assert from 'node:assert/strict';
import type { Browser, BrowserContextOptions, Page } from 'playwright-core';
import { launchBrowser } from '../scripts/browser.ts';
import { House, type HouseOptions } from '../packages/service/test/house.ts';

export const password = 'lantern-quay-7';

/** The demo with a browser beside it. */
export class BrowserHouse {
  /** Errors that pages did not catch. */
  readonly #complaints: string[] = [];

  private constructor(
    readonly house: House,
    readonly browser: Browser,
  ) {}

  static async open(options: HouseOptions = {}): Promise<BrowserHouse> {
    const house = await House.open({ hasDemo: true, ...options });
    return new BrowserHouse(house, await launchBrowser());
  }

  /**
   * A page with cookies and files of its own.
   *
   * @param as - whoever is signed in; nobody when left out
   */
  async page(as?: string, options: BrowserContextOptions = {}): Promise<Page> {
    const context = await this.browser.newContext({ viewport: { width: 1280, height: 800 }, ...options });
    const page = await context.newPage();
    page.setDefaultTimeout(30_000);
    page.on('pageerror', (error) => this.#complaints.push(error.message));
    if (as !== undefined)
      await page.request.post(`${this.house.url}/api/v1/session`, { data: { email: as, password } });
    return page;
  }

  /** Closes both; no page may have failed in between. */
  async close(): Promise<void> {
    await this.browser.close();
    await this.house.close();
    assert.deepEqual(this.#complaints, []);
  }
}
