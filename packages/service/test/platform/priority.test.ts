import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { constants, getPriority } from 'node:os';
import { after, before, describe, it } from 'node:test';
import { setTimeout } from 'node:timers/promises';
import type pg from 'pg';
import { closeLanes, openPools, type ConnectionPools } from '../../src/platform/connectionPools.ts';
import { lowerPriority, watchStarving } from '../../src/platform/priority.ts';

/** The class in a line of `/proc/PID/stat`, the 41st field; names may hold spaces. */
const classIn = (stat: string) =>
  ({ 0: 'normal', 5: 'idle' })[Number(stat.slice(stat.lastIndexOf(')') + 2).split(' ')[38])] ?? 'another';
const { PRIORITY_BELOW_NORMAL, PRIORITY_LOW } = constants.priority;

describe('priorities', { skip: process.platform === 'linux' ? false : 'threads have none of their own here' }, () => {
  let lanes: ConnectionPools;
  before(
    () =>
      (lanes = openPools({
        databaseUrl: process.env['UNDERBELL_TEST_DATABASE']!,
        priority: 'low',
        transactionIdleSeconds: 20,
        connections: { readers: 1, downloads: 1, planned: 1 },
      })),
  );
  after(() => closeLanes(lanes));

  const processOf = async (lane: pg.Pool) =>
    (await lane.query<{ pid: number }>('SELECT pg_backend_pid() AS pid')).rows[0]!.pid;

  it('let the database work for readers before it works for plans', async () => {
    const usual = getPriority(await processOf(lanes.readers));
    assert.ok(usual < PRIORITY_LOW);
    assert.equal(getPriority(await processOf(lanes.planned)), PRIORITY_LOW);
    assert.equal(getPriority(await processOf(lanes.readers)), usual, "the readers' is as it was");
  });

  it('say when others leave hardly any time', async () => {
    let waited = 0;
    const said: number[] = [];
    // As if every look came after a minute of which so much was waited for.
    const shares = [0, 0.2, 1e6, 0.1];
    const watching = watchStarving(
      (share) => said.push(share),
      () => (waited += (shares.shift() ?? 0) * 20),
      20,
    );
    while (shares.length > 0) await setTimeout(5);
    clearInterval(watching);
    assert.deepEqual(said, [1], 'once, and never more than all of it');
  });

  it('touch no process that only has the number of one of the database', () => {
    const mine = getPriority(process.pid);
    const elsewhere = { processID: process.pid, connection: { stream: { localPort: 5432 } } };
    assert.equal(lowerPriority(elsewhere as never), false);
    assert.equal(getPriority(process.pid), mine);
    assert.equal(lowerPriority({ ...elsewhere, processID: 2 ** 22 + 1 } as never), false);
    assert.equal(lowerPriority({ processID: null } as never), false);
  });

  /** What a program says of the priorities and classes of its threads once it has given way. */
  function threadsAfter(act: string): { priorities: number[]; classes: string[] } {
    const module = new URL('../../src/platform/priority.ts', import.meta.url).href;
    const program = `
      import { readdirSync, readFileSync } from 'node:fs';
      import { getPriority } from 'node:os';
      import { writeFile } from 'node:fs/promises';
      import { giveWay, giveWayWhole } from ${JSON.stringify(module)};
      const before = readdirSync('/proc/self/task').map(Number);
      ${act};
      await writeFile('/dev/null', 'begins threads');
      const all = readdirSync('/proc/self/task').map(Number);
      // The first thread, those that were there, then those that were begun since.
      const order = [process.pid, ...before.slice(1), ...all.filter((one) => !before.includes(one))];
      const threads = order.filter((one) => all.includes(one));
      console.log(JSON.stringify({
        priorities: threads.map((one) => getPriority(one)),
        classes: threads.map((one) => readFileSync('/proc/self/task/' + one + '/stat', 'utf8')),
      }));`;
    const { stdout, stderr } = spawnSync(
      process.execPath,
      ['--import', 'tsx', '--input-type=module', '--eval', program],
      { encoding: 'utf8' },
    );
    assert.equal(stderr, '');
    const found = JSON.parse(stdout) as { priorities: number[]; classes: string[] };
    assert.ok(found.priorities.length > 4, 'it has more threads than one');
    return { ...found, classes: found.classes.map(classIn) };
  }

  it('are lower for every thread of a process that only works, and for those it begins', () => {
    const { priorities: found, classes } = threadsAfter(`giveWayWhole('low')`);
    assert.ok(found.every((one) => one >= PRIORITY_BELOW_NORMAL));
    assert.deepEqual(new Set(classes), new Set(['normal']));
  });

  it('leave what cleans up memory and compiles to idle times, and the first thread its share', () => {
    const { priorities: found, classes } = threadsAfter(`giveWayWhole('idle')`);
    assert.ok(found.every((one) => one >= PRIORITY_BELOW_NORMAL));
    assert.equal(classes[0], 'normal');
    assert.ok(classes.filter((one) => one === 'idle').length >= 4);
  });

  it('stay as they are where nobody has to give way', () => {
    const { priorities: found, classes } = threadsAfter(`giveWayWhole('normal'); giveWay('normal')`);
    assert.ok(found.every((one) => one < PRIORITY_BELOW_NORMAL));
    assert.deepEqual(new Set(classes), new Set(['normal']));
  });

  it('are lowest for a thread that makes files, and for it alone', () => {
    for (const [priority, ownClass] of [
      ['low', 'normal'],
      ['idle', 'idle'],
    ] as const) {
      const { priorities: found, classes } = threadsAfter(`giveWay('${priority}')`);
      assert.deepEqual([found[0], classes[0]], [PRIORITY_LOW, ownClass]);
      assert.ok(found.slice(1).some((one) => one < PRIORITY_BELOW_NORMAL));
    }
  });
});
