import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { chmodSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { parseArgs } from 'node:util';
import { fillSkerrow } from '../../demo/src/fill.ts';
import { buildAll } from '../build.ts';
import { buildPrograms, built, runFlags } from '../bundle.mjs';
import { Cluster } from '../cluster.ts';
import { root } from '../install.mjs';

/** Test files below a folder, or those whose path holds one of the words given. */
function findTests(words: readonly string[]): string[] {
  const below = (folder: string): string[] =>
    readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
      if (entry.name === 'node_modules' || entry.name === 'dist' || entry.name.startsWith('.')) return [];
      const path = join(folder, entry.name);
      return entry.isDirectory() ? below(path) : entry.name.endsWith('.test.ts') ? [path] : [];
    });
  const all = below(root).sort();
  return words.length === 0 ? all : all.filter((path) => words.some((word) => path.includes(word)));
}

function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once('error', reject);
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });
}

/** Test files as they run, with what they have in common built once. */
async function builtTests(files: readonly string[]): Promise<{ templates: string; tests: string[] }> {
  const templates = 'packages/service/test/templates.ts';
  const sources = [templates, ...files.map((path) => relative(root, path))];
  const nameOf = (path: string) => path.replace(/\.ts$/, '');
  const folder = join(root, 'dist/tests');
  await buildPrograms(folder, Object.fromEntries(sources.map((path) => [nameOf(path), path])), { isShared: true });
  const [first, ...tests] = sources.map((path) => join(folder, `${nameOf(path)}.mjs`));
  return { templates: first!, tests };
}

async function main(): Promise<number> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: { cases: { type: 'string' }, seed: { type: 'string' } },
  });
  const files = findTests(positionals);
  if (files.length === 0) {
    process.stderr.write('no test file matches\n');
    return 1;
  }
  await buildAll((text) => process.stdout.write(`${text}\n`));
  // Tests start the installation as people do.
  await built('start');
  const folder = mkdtempSync(join(tmpdir(), 'underbell-test-'));
  chmodSync(folder, 0o755);
  const cluster = new Cluster(join(folder, 'postgres'), await freePort(), randomBytes(12).toString('hex'));
  try {
    await cluster.start({ fsync: 'off', synchronous_commit: 'off', full_page_writes: 'off', max_connections: '200' });
    await fillSkerrow(cluster, folder, 6_000);
    const environment = {
      ...process.env,
      UNDERBELL_TEST_DATABASE: cluster.url('postgres'),
      UNDERBELL_TEST_FOLDER: folder,
      NO_COLOR: '1',
      // Test files run side by side: workers that give way to all of them would stand still.
      UNDERBELL_RENDER_PRIORITY: 'normal',
      ...(values.cases ? { UNDERBELL_TEST_CASES: values.cases } : {}),
      ...(values.seed ? { UNDERBELL_TEST_SEED: values.seed } : {}),
    };
    const run = (args: readonly string[]) => {
      const stdio = ['ignore', 'inherit', 'inherit'] as const;
      const child = spawn(process.execPath, [...runFlags, ...args], { cwd: root, stdio: [...stdio], env: environment });
      return new Promise<number>((resolve) => child.on('exit', (code) => resolve(code ?? 1)));
    };
    const programs = await builtTests(files);
    if ((await run([programs.templates])) !== 0) return 1;
    // What failed stands at the end, where a log that was cut still shows it.
    return await run(['--test', '--test-concurrency=4', '--test-reporter=spec', ...programs.tests]);
  } finally {
    await cluster.stop().catch(() => undefined);
    rmSync(folder, { recursive: true, force: true });
  }
}

process.exitCode = await main();
