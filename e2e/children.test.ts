import assert from 'node:assert/strict';
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { describe, it } from 'node:test';
import { setTimeout } from 'node:timers/promises';
import { root } from '../scripts/install.mjs';
import { Children } from '../scripts/start/children.ts';

/** A process that writes its number down, and then does what its turn says: it gets ready, ends, or never gets ready. */
const child = `
import { appendFileSync, readFileSync } from 'node:fs';
const folder = process.env.FOLDER;
appendFileSync(folder + '/born', process.pid + '\\n');
const turn = readFileSync(folder + '/born', 'utf8').trim().split('\\n').length;
const fate = readFileSync(folder + '/fates', 'utf8').trim().split(' ')[turn - 1];
if (fate === 'ends') process.exit(3);
if (fate === 'gets-ready') process.send({ isReady: true });
setInterval(() => undefined, 1000);
`;

describe('the processes of an installation', () => {
  it(
    'are started again when they end, also when they end while they start, until somebody stops them',
    { timeout: 120_000 },
    async () => {
      const folder = mkdtempSync(join(tmpdir(), 'underbell-children-'));
      const born = () =>
        existsSync(join(folder, 'born'))
          ? readFileSync(join(folder, 'born'), 'utf8').trim().split('\n').map(Number)
          : [];
      const untilBorn = async (count: number) => {
        while (born().length < count) await setTimeout(50);
        return born().at(-1)!;
      };
      const isAlive = (pid: number) => {
        try {
          return process.kill(pid, 0);
        } catch {
          return false;
        }
      };
      writeFileSync(join(folder, 'child.mjs'), child);
      // The third is ended by somebody before it is ready; the fifth never gets ready.
      writeFileSync(join(folder, 'fates'), 'gets-ready ends hangs gets-ready hangs');
      const children = new Children(folder);
      await children.start('worker', relative(root, join(folder, 'child.mjs')), { FOLDER: folder });
      process.kill(await untilBorn(1), 'SIGTERM');
      process.kill(await untilBorn(3), 'SIGTERM');
      process.kill(await untilBorn(4), 'SIGKILL');
      const last = await untilBorn(5);
      assert.ok(isAlive(last));
      await children.stop();
      assert.equal(isAlive(last), false, 'one that only starts is stopped as well');
      await setTimeout(3_000);
      assert.equal(born().length, 5, 'nothing is started once it is to stop');
    },
  );
});
