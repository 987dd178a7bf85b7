import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { chmodSync, mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { fillSkerrow } from '../../demo/src/fill.ts';
import { buildPages } from '../build.ts';
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
  await buildPages((text) => process.stdout.write(`${text}\n`));
  const folder = mkdtempSync(join(tmpdir(), 'underbell-test-'));
  chmodSync(folder, 0o755);
  const cluster = new Cluster(join(folder, 'postgres'), await freePort(), randomBytes(12).toString('hex'));
  try {
    await cluster.start({ fsync: 'off', synchronous_commit: 'off', full_page_writes: 'off', max_connections: '200' });
    await fillSkerrow(cluster, folder, 6_000);
    const child = spawn(process.execPath, ['--import', 'tsx', '--test', '--test-concurrency=4', ...files], {
      cwd: root,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: {
        ...process.env,
        UNDERBELL_TEST_DATABASE: cluster.url('postgres'),
        UNDERBELL_TEST_FOLDER: folder,
        NO_COLOR: '1',
        // Test files run side by side: workers that give way to all of them would stand still.
        UNDERBELL_PRIORITY: 'usual',
        ...(values.cases ? { UNDERBELL_TEST_CASES: values.cases } : {}),
        ...(values.seed ? { UNDERBELL_TEST_SEED: values.seed } : {}),
      },
    });
    return await new Promise<number>((resolve) => child.on('exit', (code) => resolve(code ?? 1)));
  } finally {
    await cluster.stop().catch(() => undefined);
    rmSync(folder, { recursive: true, force: true });
  }
}

process.exitCode = await main();
