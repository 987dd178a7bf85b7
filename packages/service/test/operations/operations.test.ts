import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { FailedJob, ShownProcesses } from '@underbell/core/operations';
import { enqueue, Worker } from '../../src/platform/index.ts';
import { until } from '../house.ts';
import { owner, root, SmallHouse } from '../smallHouse.ts';

describe('what an operator looks at', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());
  const base = '/api/v1/operations';

  it('are the processes with their clocks and connections, for administrators alone', async () => {
    const { processes, connectionLimit } = (await small.fine('GET', `${base}/processes`, undefined, root))
      .body as unknown as ShownProcesses;
    assert.deepEqual(
      processes.map((one) => [one.isRunning, one.process, Math.abs(one.clockOffMs) < 30_000]),
      [[true, process.pid, true]],
    );
    assert.ok(connectionLimit > 0 && processes[0]!.connections > 0);
    for (const [method, path] of [
      ['GET', 'processes'],
      ['GET', 'jobs'],
      ['POST', 'jobs/1/retry'],
    ] as const)
      assert.equal((await small.house.call(method, `${base}/${path}`, { as: owner })).status, 403, path);
  });

  it('are jobs that failed, with the reason; a retry does them', async () => {
    const { app } = small.house;
    let isBroken = true;
    let done = 0;
    const worker = new Worker(app, {
      'that breaks': async () => {
        if (isBroken) throw new Error('the disk is full');
        done++;
      },
    });
    worker.start();
    try {
      await enqueue(app, 'that breaks', { about: 'works' });
      const failed = async () =>
        ((await small.fine('GET', `${base}/jobs`, undefined, root)).body as unknown as { jobs: FailedJob[] }).jobs;
      const job = await until(async () => (await failed())[0]);
      assert.deepEqual([job.kind, job.state, job.error], ['that breaks', 'failed', 'the disk is full']);
      isBroken = false;
      await small.fine('POST', `${base}/jobs/${job.id}/retry`, {}, root);
      await until(() => done === 1);
      await until(async () => (await failed()).length === 0);
      const again = await small.house.call('POST', `${base}/jobs/${job.id}/retry`, { as: root, body: {} });
      assert.equal(again.status, 404, 'what is done is not done again');
    } finally {
      await worker.stop();
    }
  });
});
