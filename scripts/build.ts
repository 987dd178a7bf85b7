import { createHash } from 'node:crypto';
import { existsSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build as bundle } from 'esbuild';
import { stampOfFiles, type BundleNote } from '../packages/service/src/platform/bundle.ts';
import { build } from 'vite';
import { root } from './install.mjs';

const pages = ['console', 'viewer', 'element', 'cli', 'service'] as const;
const calls = { cli: 'command line', service: 'threads that make and read files' } as Partial<Record<string, string>>;

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

/** The command line in one file of our own code, so that a command answers at once; libraries stay where they are. */
async function buildCommandLine(folder: string): Promise<void> {
  await bundle({
    entryPoints: [join(folder, 'src/main.ts')],
    outfile: join(folder, 'dist/underbell.mjs'),
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    logLevel: 'warning',
    plugins: [
      {
        name: 'libraries',
        setup: ({ onResolve }) =>
          onResolve({ filter: /^[^./]/ }, ({ path }) =>
            path.startsWith('@underbell/') ? undefined : { path, external: true },
          ),
      },
    ],
  });
}

/**
 * The program of threads in one file, libraries as well, so that they are there in a tenth of the time.
 * Beside it lies what it was built of.
 */
async function buildThread(folder: string, source: string, name: string): Promise<void> {
  const { metafile } = await bundle({
    entryPoints: [join(folder, source)],
    outfile: join(folder, `dist/${name}.mjs`),
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    logLevel: 'warning',
    metafile: true,
    absWorkingDir: root,
    // A program of the machine's own kind cannot be part of it.
    external: ['@resvg/resvg-js'],
    // Libraries of the older kind ask for others with it.
    banner: {
      js: "import { createRequire as requireFrom } from 'node:module';const require = requireFrom(import.meta.url);",
    },
  });
  const own = Object.keys(metafile.inputs).filter((path) => !path.includes('node_modules/'));
  const inputs = [...own.sort(), 'package-lock.json'];
  const note: BundleNote = { inputs, stamp: stampOfFiles(inputs) };
  writeFileSync(join(folder, `dist/${name}.json`), JSON.stringify(note));
}

/** Builds console, viewer, element, command line and threads, each only when its sources changed. */
export async function buildPages(say: (text: string) => void): Promise<void> {
  for (const name of pages) {
    const folder = join(root, 'packages', name);
    const mark = join(folder, 'dist', '.stamp');
    const stamp = stampOf(name);
    if (existsSync(mark) && readFileSync(mark, 'utf8') === stamp) continue;
    say(`Building the ${calls[name] ?? name} …`);
    if (name === 'cli') await buildCommandLine(folder);
    else if (name === 'service') {
      await buildThread(folder, 'src/burst/makeWorker.ts', 'makeThread');
      await buildThread(folder, 'src/dataset/examineWorker.ts', 'examineThread');
    } else await build({ root: folder, configFile: join(folder, 'vite.config.ts'), logLevel: 'warn' });
    writeFileSync(mark, stamp);
  }
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href)
  await buildPages((text) => process.stdout.write(`${text}\n`));
