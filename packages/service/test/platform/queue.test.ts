import assert from 'node:assert/strict';
import { after, before, beforeEach, describe, it } from 'node:test';
import { QueryTypes } from 'sequelize';
import { enqueue, migrate, TryLater, Worker, type Job } from '../../src/platform/index.ts';
import { House, until } from '../house.ts';

describe('the queue', () => {
  let house: House;
  before(async () => {
    house = await House.open();
  });
  after(() => house.close());
  beforeEach(() => house.app.records.query('DELETE FROM jobs'));

  const put = (kind: string, payload: object = {}) =>
    house.app.records.transaction(() => enqueue(house.app, kind, payload));
  const states = async () =>
    (
      await house.app.records.query<{ state: string }>('SELECT state FROM jobs ORDER BY id', {
        type: QueryTypes.SELECT,
      })
    ).map((row) => row.state);

  it('gives each job to one worker, however many there are', async () => {
    const done: number[] = [];
    const handlers = { count: async (_: unknown, job: Job) => void done.push(Number(job.payload['n'])) };
    for (let n = 0; n < 30; n++) await put('count', { n });
    const workers = [1, 2, 3].map(() => new Worker(house.app, handlers));
    workers.forEach((worker) => worker.start());
    await until(() => done.length >= 30);
    await Promise.all(workers.map((worker) => worker.stop()));
    assert.deepEqual(
      [...done].sort((a, b) => a - b),
      Array.from({ length: 30 }, (_, n) => n),
    );
    assert.deepEqual(new Set(await states()), new Set(['done']));
  });

  it('takes a job over whose lease ran out, and counts the worker that died', async () => {
    await put('count', { n: 1 });
    await house.app.records.query(
      "UPDATE jobs SET state = 'leased', lease = 'dead', attempts = 1, lease_until = now() - interval '1 second'",
    );
    let taken: Job | undefined;
    const worker = new Worker(house.app, { count: async (_, job) => void (taken = job) });
    worker.start();
    await until(() => taken !== undefined);
    await worker.stop();
    assert.deepEqual([taken!.attempts, taken!.deaths], [2, 1]);
  });

  it('counts neither stops nor a database that goes away as workers that died', async () => {
    await put('wait');
    const jobs: Job[] = [];
    for (let i = 0; i < 7; i++) {
      const worker = new Worker(house.app, {
        wait: async (_, job, isMine) => {
          jobs.push(job);
          if (i % 2 === 1) throw Object.assign(new Error('Connection terminated unexpectedly'), { code: '57P01' });
          await until(() => !isMine());
        },
      });
      worker.start();
      await until(() => jobs.length > i);
      await worker.stop();
      await house.app.records.query(`UPDATE jobs SET not_before = NULL`);
      assert.deepEqual(await states(), ['waiting'], `try ${i}`);
    }
    assert.deepEqual(
      jobs.map((job) => [job.attempts, job.deaths]),
      Array.from({ length: 7 }, () => [1, 0]),
    );
  });

  it('leaves a job alone while its lease holds', async () => {
    await put('count');
    await house.app.records.query(
      "UPDATE jobs SET state = 'leased', lease = 'alive', lease_until = now() + interval '1 minute'",
    );
    let ran = false;
    const worker = new Worker(house.app, { count: async () => void (ran = true), mark: async () => undefined });
    worker.start();
    await put('mark');
    await until(async () => (await states())[1] === 'done');
    await worker.stop();
    assert.equal(ran, false);
  });

  it('gives up after five workers died of it, and leaves kinds that it does not know to others', async () => {
    await put('count');
    await put('nothing');
    await house.app.records.query("UPDATE jobs SET deaths = 5 WHERE kind = 'count'");
    let ran = 0;
    const worker = new Worker(house.app, { count: async () => void ran++ });
    worker.start();
    await until(async () => (await states())[0] !== 'waiting' && (await states())[0] !== 'leased');
    await worker.stop();
    assert.deepEqual([await states(), ran], [['failed', 'waiting'], 0]);
  });

  it('keeps a failed job with its reason and goes on with the next', async () => {
    await put('break');
    await put('count');
    let ran = false;
    const worker = new Worker(house.app, {
      break: () => Promise.reject(new Error('the rope broke')),
      count: async () => void (ran = true),
    });
    worker.start();
    await until(() => ran);
    await worker.stop();
    const [row] = await house.app.records.query<{ state: string; error: string }>(
      "SELECT state, error FROM jobs WHERE kind = 'break'",
      { type: QueryTypes.SELECT },
    );
    assert.deepEqual(row, { state: 'failed', error: 'the rope broke' });
  });

  it('tries again later what asked for it, and does not let one line of work hold up another', async () => {
    await put('later');
    await put('slow');
    const tries: number[] = [];
    const worker = new Worker(
      house.app,
      { slow: async (_, _job, isMine) => void (await until(() => !isMine())) },
      {
        later: async (_, job) => {
          tries.push(job.attempts);
          if (tries.length < 3) throw new TryLater(1);
        },
      },
    );
    worker.start();
    await until(async () => (await states())[0] === 'done');
    await worker.stop();
    assert.deepEqual(tries, [1, 2, 3]);
  });

  it('leaves the job of a worker that is stopped for another one', async () => {
    await put('wait');
    let isStarted = false;
    const worker = new Worker(house.app, {
      wait: async (_, _job, isMine) => {
        isStarted = true;
        await until(() => !isMine());
      },
    });
    worker.start();
    await until(() => isStarted);
    await worker.stop();
    assert.deepEqual(await states(), ['waiting'], 'given back at once');
  });
});

describe('the clock', () => {
  it('goes on with the others where one thing fails', async () => {
    const house = await House.open();
    let counted = 0;
    const worker = new Worker(house.app);
    worker.every(
      5,
      () => Promise.reject(new Error('the rope broke')),
      async () => void counted++,
    );
    await until(() => counted >= 3);
    await worker.stop();
    await house.close();
    assert.ok(counted >= 3);
  });
});

describe('what belongs together', () => {
  it('asks one connection, however many there are at once and however deep', async () => {
    const house = await House.open();
    const { app } = house;
    const { listPeople, addGroup } = await import('../../src/access/index.ts');
    // More at once than there are connections: each holds one, and none may want a second.
    const all = await Promise.all(
      Array.from({ length: 30 }, (_, i) =>
        app.records.transaction(async () => {
          await app.records.query('SELECT pg_sleep(0.01)');
          await listPeople(app);
          await app.records.transaction(() => addGroup(app, { name: `G${i}` }));
          const [rows] = await app.records.query('SELECT txid_current() AS id');
          return (rows as { id: string }[])[0]!.id;
        }),
      ),
    );
    assert.equal(new Set(all).size, 30);
    // What fails outside takes along what was done inside.
    await assert.rejects(
      app.records.transaction(async () => {
        await app.records.transaction(() => addGroup(app, { name: 'gone' }));
        throw new Error('no');
      }),
    );
    const [rows] = await app.records.query(`SELECT count(*)::int AS n FROM groups WHERE name = 'gone'`);
    assert.equal((rows as { n: number }[])[0]!.n, 0);
    await house.close();
  });
});

describe('migrate', () => {
  it('does nothing the second time, and processes that start together wait for each other', async () => {
    const house = await House.open();
    try {
      assert.deepEqual(await Promise.all([migrate(house.app.records), migrate(house.app.records)]), [[], []]);
    } finally {
      await house.close();
    }
  });
});
