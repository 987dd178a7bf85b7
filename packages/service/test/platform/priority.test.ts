import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { constants, getPriority } from 'node:os';
import { describe, it } from 'node:test';
import { setTimeout } from 'node:timers/promises';
import type pg from 'pg';
import { closeLanes, openLanes, type Lanes } from '../../src/platform/lanes.ts';
import { giveWayBehind, priorities, type Priority } from '../../src/platform/priority.ts';

/** The class in a line of `/proc/PID/stat`, the 41st field; names may hold spaces. */
const classIn = (stat: string) =>
  ({ 0: 'usual', 5: 'idle' })[Number(stat.slice(stat.lastIndexOf(')') + 2).split(' ')[38])] ?? 'another';
const classOf = (pid: number) => classIn(readFileSync(`/proc/${pid}/stat`, 'utf8'));
const { PRIORITY_BELOW_NORMAL, PRIORITY_LOW } = constants.priority;

describe('priorities', { skip: process.platform === 'linux' ? false : 'threads have none of their own here' }, () => {
  const processOf = async (lane: pg.Pool) =>
    (await lane.query<{ pid: number }>('SELECT pg_backend_pid() AS pid')).rows[0]!.pid;
  const withLanes = async (priority: Priority, look: (lanes: Lanes) => Promise<void>) => {
    const lanes = openLanes(process.env['UNDERBELL_TEST_DATABASE']!, priority);
    try {
      await look(lanes);
    } finally {
      await closeLanes(lanes);
    }
  };

  it('let the database work for readers before it works for plans', () =>
    withLanes('low', async (lanes) => {
      const usual = getPriority(await processOf(lanes.readers));
      assert.ok(usual < PRIORITY_LOW);
      const planned = await processOf(lanes.planned);
      assert.deepEqual([getPriority(planned), classOf(planned)], [PRIORITY_LOW, 'usual']);
      assert.equal(getPriority(await processOf(lanes.readers)), usual, "the readers' is as it was");
    }));

  it('let it work for plans only while nobody else wants to, where that is asked for', () =>
    withLanes('idle', async (lanes) => {
      const planned = await processOf(lanes.planned);
      // The class is asked for by another program, which takes its time.
      while (classOf(planned) !== 'idle') await setTimeout(20);
      assert.equal(getPriority(planned), PRIORITY_LOW, 'where the class is refused, this is left');
      assert.equal(classOf(await processOf(lanes.readers)), 'usual');
    }));

  it('touch no process that only has the number of one of the database', async () => {
    const mine = getPriority(process.pid);
    const elsewhere = { processID: process.pid, connection: { stream: { localPort: 5432 } } };
    assert.equal(await giveWayBehind(elsewhere as never, 'idle'), false);
    assert.equal(getPriority(process.pid), mine);
    assert.equal(await giveWayBehind({ ...elsewhere, processID: 2 ** 22 + 1 } as never, 'idle'), false);
    assert.equal(await giveWayBehind({ processID: null } as never, 'idle'), false);
  });

  it('are lower for every thread of a process that only works, and for those it begins', () => {
    for (const priority of priorities) {
      const module = new URL('../../src/platform/priority.ts', import.meta.url).href;
      const program = `
      import { readdirSync, readFileSync } from 'node:fs';
      import { getPriority } from 'node:os';
      import { writeFile } from 'node:fs/promises';
      import { giveWayWhole } from ${JSON.stringify(module)};
      const before = readdirSync('/proc/self/task').length;
      giveWayWhole('${priority}');
      await writeFile('/dev/null', 'begins threads');
      const all = readdirSync('/proc/self/task').map(Number);
      const priorities = all.map((one) => getPriority(one));
      const classes = all.map((one) => readFileSync('/proc/self/task/' + one + '/stat', 'utf8'));
      console.log(JSON.stringify({ before, priorities, classes }));`;
      const { stdout, stderr } = spawnSync(
        process.execPath,
        ['--import', 'tsx', '--input-type=module', '--eval', program],
        { encoding: 'utf8' },
      );
      assert.equal(stderr, '');
      const { before: count, ...found } = JSON.parse(stdout) as {
        before: number;
        priorities: number[];
        classes: string[];
      };
      assert.ok(count > 1 && found.priorities.length >= count);
      assert.deepEqual(
        found.priorities.filter((one) => one < PRIORITY_BELOW_NORMAL),
        [],
      );
      const wanted = priority === 'idle' ? 'idle' : 'usual';
      assert.deepEqual(
        found.classes.map(classIn).filter((one) => one !== wanted),
        [],
      );
    }
  });
});
