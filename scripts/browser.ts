import { chromium, type Browser, type BrowserContext } from 'playwright-core';
import { chromiumPath } from './install.mjs';

/** Without a window; it asks nothing of the outside. */
const args = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

/** Debian's Chromium. */
export const launchBrowser = (): Promise<Browser> => chromium.launch({ executablePath: chromiumPath, args });

/** The same as a device has it: what it keeps lies in a folder, and is there when it is started again. */
export const launchDevice = (folder: string, viewport = { width: 1280, height: 720 }): Promise<BrowserContext> =>
  chromium.launchPersistentContext(folder, {
    executablePath: chromiumPath,
    args,
    viewport,
    // Whoever starts it stops it, in their own order: by itself it would end their process.
    handleSIGINT: false,
    handleSIGTERM: false,
    handleSIGHUP: false,
  });
