// Builds programs of ours in one file each, libraries among them, with source maps. Plain JavaScript: it runs before anything is built.
import { createHash } from 'node:crypto';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { pathToFileURL } from 'node:url';
import { root } from './install.mjs';

/** What cannot be part of a file: programs of the machine's own kind, builders, and what looks for files beside itself. */
const external = [
  '@resvg/resvg-js',
  '@zxcvbn-ts/*',
  'esbuild',
  'jsonc-parser',
  'lightningcss',
  'nephele',
  '@nephele/*',
  'oidc-provider',
  'pg-native',
  'playwright-core',
  'typescript',
  'undici',
  'vite',
  'vite-plugin-compression2',
  'vue',
  '@vitejs/*',
];
/** Drivers that libraries would take if they were there. */
const missing = [
  'ibm_db',
  'mariadb',
  'mysql2',
  'oracledb',
  'pg-hstore',
  'snowflake-sdk',
  'sqlite3',
  'tedious',
  'ts-node/esm',
];

/** Modules of ours go on knowing where they lie, though they run elsewhere. */
const ownAddresses = {
  name: 'own addresses',
  setup: ({ onLoad, esbuild }) =>
    onLoad({ filter: /\.(ts|mjs)$/ }, async ({ path }) => {
      if (path.includes('/node_modules/')) return undefined;
      const text = readFileSync(path, 'utf8');
      if (!text.includes('import.meta.')) return undefined;
      const { code } = await esbuild.transform(text, {
        loader: path.endsWith('.ts') ? 'ts' : 'js',
        sourcefile: path,
        sourcemap: 'inline',
        sourcesContent: false,
        target: 'node20',
        define: {
          'import.meta.url': JSON.stringify(pathToFileURL(path).href),
          'import.meta.dirname': JSON.stringify(dirname(path)),
        },
      });
      return { contents: code, loader: 'js' };
    }),
};

/** Changes when the name or a byte of any source does, or the place where all of it lies. */
function stampOf(inputs) {
  const hash = createHash('sha256').update(root);
  for (const path of inputs) hash.update(`${path}\0`).update(readFileSync(join(root, path)));
  return hash.digest('hex');
}

/** Whether a folder holds programs that were built of these sources as they are now. */
export function isFresh(folder, sources) {
  try {
    const note = JSON.parse(readFileSync(join(folder, 'built.json'), 'utf8'));
    return JSON.stringify(note.sources) === JSON.stringify(sources) && stampOf(note.inputs) === note.stamp;
  } catch (error) {
    // Not built, or a source is gone.
    if (error.code === 'ENOENT') return false;
    throw error;
  }
}

/**
 * Builds programs into a folder, unless they lie there as they would be built.
 *
 * @param sources - name of a program -> its first module, below the root
 * @returns whether anything had to be built
 */
export async function buildPrograms(folder, sources, { isShared = false, say = () => undefined } = {}) {
  if (isFresh(folder, sources)) return false;
  say();
  const { build } = await import('esbuild');
  rmSync(folder, { recursive: true, force: true });
  const { metafile } = await build({
    entryPoints: Object.fromEntries(Object.entries(sources).map(([name, path]) => [name, join(root, path)])),
    outdir: folder,
    outExtension: { '.js': '.mjs' },
    absWorkingDir: root,
    bundle: true,
    // What several programs have in common lies in files of its own.
    splitting: isShared,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    sourcemap: 'linked',
    sourcesContent: false,
    external: [...external, ...missing],
    plugins: [ownAddresses],
    metafile: true,
    logLevel: 'error',
    // Libraries of the older kind ask for others with it.
    banner: {
      js: "import { createRequire as requireFrom } from 'node:module';const require = requireFrom(import.meta.url);",
    },
  });
  const own = Object.keys(metafile.inputs).filter((path) => !path.includes('node_modules/'));
  const inputs = [
    ...own.map((path) => relative(root, join(root, path))).sort(),
    'package-lock.json',
    'scripts/bundle.mjs',
  ];
  writeFileSync(join(folder, 'built.json'), JSON.stringify({ sources, inputs, stamp: stampOf(inputs) }));
  return true;
}

/** Programs that run by themselves, by the folder that they are built into. */
export const programs = {
  cli: { folder: join(root, 'packages/cli/dist'), sources: { underbell: 'packages/cli/src/main.ts' } },
  service: {
    // What only workers need stands apart, and is read when there is work for it.
    isShared: true,
    folder: join(root, 'packages/service/dist'),
    sources: {
      main: 'packages/service/src/main.ts',
      makeThread: 'packages/service/src/copies/worker.ts',
      examineThread: 'packages/service/src/dataset/examineWorker.ts',
      drawingThread: 'packages/service/src/media/drawingWorker.ts',
      calendarThread: 'packages/service/src/schedule/calendarWorker.ts',
    },
  },
  standins: { folder: join(root, 'packages/standins/dist'), sources: { main: 'packages/standins/src/main.ts' } },
  start: { folder: join(root, 'dist/start'), sources: { main: 'scripts/start/main.ts' } },
  test: { folder: join(root, 'dist/test'), sources: { main: 'scripts/test/main.ts' } },
  bench: {
    folder: join(root, 'dist/bench'),
    sources: {
      main: 'bench/src/main.ts',
      burstWorker: 'bench/src/burstWorker.ts',
      screenClient: 'bench/src/screenClient.ts',
    },
  },
};

/** Builds one of them where that is needed. @returns the path of its main file */
export async function built(name, say) {
  const { folder, sources, isShared } = programs[name];
  await buildPrograms(folder, sources, { isShared, say });
  return join(folder, `${Object.keys(sources)[0]}.mjs`);
}

/** How our programs are run: what they say of themselves names lines of the sources. */
export const runFlags = ['--enable-source-maps'];
