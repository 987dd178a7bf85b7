#!/usr/bin/env node
import { readdirSync, statSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const at = (path) => fileURLToPath(new URL(path, import.meta.url));

/** When the newest source below a folder was written. */
function newest(folder) {
  return readdirSync(folder, { withFileTypes: true }).reduce((latest, entry) => {
    const path = `${folder}/${entry.name}`;
    return Math.max(latest, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs);
  }, 0);
}

const built = statSync(at('../dist/underbell.mjs'), { throwIfNoEntry: false })?.mtimeMs ?? 0;
if (built > Math.max(newest(at('../src')), newest(at('../../core/src')))) await import('../dist/underbell.mjs');
else {
  // The sources were changed since: they are run as they are.
  const { register } = await import('tsx/esm/api');
  register();
  await import('../src/main.ts');
}
