import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { constants, getPriority } from 'node:os';
import { after, before, describe, it } from 'node:test';
import type pg from 'pg';
import { closeLanes, openLanes, type Lanes } from '../../src/platform/lanes.ts';
import { giveWayBehind } from '../../src/platform/priority.ts';

const { PRIORITY_BELOW_NORMAL, PRIORITY_LOW } = constants.priority;

describe('priorities', { skip: process.platform === 'linux' ? false : 'threads have none of their own here' }, () => {
  let lanes: Lanes;
  before(() => (lanes = openLanes(process.env['UNDERBELL_TEST_DATABASE']!)));
  after(() => closeLanes(lanes));

  const processOf = async (lane: pg.Pool) =>
    (await lane.query<{ pid: number }>('SELECT pg_backend_pid() AS pid')).rows[0]!.pid;

  it('let the database work for readers before it works for plans', async () => {
    const usual = getPriority(await processOf(lanes.readers));
    assert.ok(usual < PRIORITY_LOW);
    assert.equal(getPriority(await processOf(lanes.planned)), PRIORITY_LOW);
    assert.equal(getPriority(await processOf(lanes.readers)), usual, "the readers' is as it was");
  });

  it('touch no process that only has the number of one of the database', () => {
    const mine = getPriority(process.pid);
    const elsewhere = { processID: process.pid, connection: { stream: { localPort: 5432 } } };
    assert.equal(giveWayBehind(elsewhere as never), false);
    assert.equal(getPriority(process.pid), mine);
    assert.equal(giveWayBehind({ ...elsewhere, processID: 2 ** 22 + 1 } as never), false);
    assert.equal(giveWayBehind({ processID: null } as never), false);
  });

  it('are lower for every thread of a process that only works, and for those it begins', () => {
    const module = new URL('../../src/platform/priority.ts', import.meta.url).href;
    const program = `
      import { readdirSync, writeFileSync } from 'node:fs';
      import { getPriority } from 'node:os';
      import { writeFile } from 'node:fs/promises';
      import { giveWayWhole } from ${JSON.stringify(module)};
      const before = readdirSync('/proc/self/task').length;
      giveWayWhole();
      await writeFile('/dev/null', 'begins threads');
      const all = readdirSync('/proc/self/task').map((one) => getPriority(Number(one)));
      console.log(JSON.stringify({ before, all }));`;
    const { stdout, stderr } = spawnSync(
      process.execPath,
      ['--import', 'tsx', '--input-type=module', '--eval', program],
      { encoding: 'utf8' },
    );
    assert.equal(stderr, '');
    const { before: count, all } = JSON.parse(stdout) as { before: number; all: number[] };
    assert.ok(count > 1 && all.length >= count);
    assert.deepEqual(
      all.filter((one) => one < PRIORITY_BELOW_NORMAL),
      [],
    );
  });
});
