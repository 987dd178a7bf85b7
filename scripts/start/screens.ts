import { join } from 'node:path';
import type { BrowserContext, Page } from 'playwright-core';
import type { Caller } from '../../demo/src/index.ts';
import { launchDevice } from '../browser.ts';
import { installChromium } from '../install.mjs';

/** A wide wall, and an upright one. */
const playing = [
  { name: 'played-wide', title: 'Played here, wide', size: { width: 1920, height: 1080 } },
  { name: 'played-upright', title: 'Played here, upright', size: { width: 1080, height: 1920 } },
] as const;

interface HungScreen {
  readonly attributes: object;
  readonly timeZone: string;
  readonly language: string;
}

/** Takes the device in that shows a code; one that was taken in earlier plays by itself. */
async function takeIn(page: Page, caller: Caller, screen: object): Promise<void> {
  // One that was closed shows its code a minute later.
  await page.locator('.code, .playing').first().waitFor({ timeout: 120_000 });
  if ((await page.locator('.code').count()) === 0) return;
  const code = (await page.locator('.code').textContent())!;
  await caller.call('POST', `/api/v1/pairing-codes/${code}`, screen);
}

/**
 * Two browsers without windows that really play, beside the screens that only say that they do. What each shows is seen
 * in the console.
 *
 * @returns closes them
 */
export async function playScreens(folder: string, url: string, caller: Caller): Promise<() => Promise<void>> {
  installChromium();
  const opened: BrowserContext[] = [];
  const close = async () => void (await Promise.all(opened.map((one) => one.close().catch(() => undefined))));
  try {
    // They hang where two of the demo's screens hang, and say the same of themselves.
    const { screens } = (await caller.call('GET', '/api/v1/screens?group=quays&find=quay-&count=2')) as {
      screens: HungScreen[];
    };
    for (const [i, { name, title, size }] of playing.entries()) {
      const { attributes, timeZone, language } = screens[i]!;
      const context = await launchDevice(join(folder, 'walls', name), size);
      opened.push(context);
      const [page = await context.newPage()] = context.pages();
      await page.goto(`${url}/screen/`);
      await takeIn(page, caller, { name, title, group: 'quays', attributes, timeZone, language });
    }
    return close;
  } catch (error) {
    await close();
    throw error;
  }
}
