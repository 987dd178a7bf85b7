import { mkdirSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';

const testFolder = process.env['UNDERBELL_TEST_FOLDER'];
if (!testFolder) throw new Error('run the tests with `npm test`, which makes their folder');

/** Below those that systems hand out for outgoing connections, so that none can take one between choosing and listening. */
const [lowest, highest] = [12_000, 32_000];

function isFree(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const probe = createServer();
    probe.once('error', () => resolve(false));
    probe.listen(port, '127.0.0.1', () => probe.close(() => resolve(true)));
  });
}

/** Marks a port as taken for as long as these tests run; whether it was still to be had. */
function claim(port: number): boolean {
  try {
    mkdirSync(join(testFolder!, 'ports', String(port)));
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw error;
  }
}

/** The first of some ports in a row that nobody has, and that no other test file gets: files run side by side. */
export async function ownPorts(count = 1): Promise<number> {
  mkdirSync(join(testFolder!, 'ports'), { recursive: true });
  const row = (first: number) => Array.from({ length: count }, (_, i) => first + i);
  for (;;) {
    const first = lowest + Math.floor(Math.random() * (highest - lowest - count));
    if (row(first).every(claim) && (await Promise.all(row(first).map(isFree))).every(Boolean)) return first;
  }
}
