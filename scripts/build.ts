import { createHash } from 'node:crypto';
import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'vite';
import { built } from './bundle.mjs';
import { root } from './install.mjs';

const pages = ['console', 'viewer', 'element', 'player'] as const;
const programs = { service: 'service', standins: 'stand-ins', cli: 'command line' } as const;

function filesBelow(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true })
    .filter((entry) => !['dist', 'node_modules', 'test'].includes(entry.name))
    .flatMap((entry) => (entry.isDirectory() ? filesBelow(join(folder, entry.name)) : [join(folder, entry.name)]))
    .sort();
}

/** Changes when any source that a page is made of does. */
function stampOf(name: string): string {
  const hash = createHash('sha256');
  const folders = [join(root, 'packages', name), join(root, 'packages/core/src')];
  for (const file of [...folders.flatMap(filesBelow), join(root, 'package-lock.json')])
    hash.update(file.slice(root.length)).update(readFileSync(file));
  return hash.digest('hex');
}

/** Builds console, viewer, element and every program that runs by itself, each only when its sources changed. */
export async function buildAll(say: (text: string) => void): Promise<void> {
  for (const name of pages) {
    const folder = join(root, 'packages', name);
    const mark = join(folder, 'dist', '.stamp');
    const stamp = stampOf(name);
    if (existsSync(mark) && readFileSync(mark, 'utf8') === stamp) continue;
    say(`Building the ${name} …`);
    await build({ root: folder, configFile: join(folder, 'vite.config.ts'), logLevel: 'warn' });
    writeFileSync(mark, stamp);
  }
  for (const [name, words] of Object.entries(programs))
    await built(name as keyof typeof programs, () => say(`Building the ${words} …`));
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href)
  await buildAll((text) => process.stdout.write(`${text}\n`));
