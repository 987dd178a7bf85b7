import { chromium, type Browser } from 'playwright-core';
import { chromiumPath } from './install.mjs';

/** Debian's Chromium without a window; it asks nothing of the outside. */
export function launchBrowser(): Promise<Browser> {
  const args = ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run'];
  const quiet = ['--disable-background-networking', '--disable-component-update', '--disable-sync'];
  return chromium.launch({ executablePath: chromiumPath, args: [...args, ...quiet] });
}
