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

  it('tries a hearer again after any error, ever later, and gives up after a day', async () => {
    await put('dataset.refreshed for somebody');
    let tries = 0;
    const worker = new Worker(house.app, {
      'dataset.refreshed for somebody': async () => {
        tries++;
        throw new Error('it was a bad moment');
      },
    });
    worker.start();
    const pauses: number[] = [];
    for (let turn = 1; turn <= 9; turn++) {
      await until(() => tries === turn);
      const isLast = turn === 9;
      await until(async () => (await states())[0] === (isLast ? 'failed' : 'waiting'));
      if (isLast) break;
      const [row] = await house.app.records.query<{ pause: number }>(
        'SELECT extract(epoch FROM not_before - now())::float8 AS pause FROM jobs',
        { type: QueryTypes.SELECT },
      );
      pauses.push(row!.pause);
      await house.app.records.query('UPDATE jobs SET not_before = NULL');
    }
    await worker.stop();
    assert.deepEqual(
      [...pauses].sort((a, b) => a - b),
      pauses,
    );
    const sum = pauses.reduce((all, one) => all + one, 0);
    assert.ok(sum > 70_000 && sum < 90_000, `${Math.round(sum / 3_600)} hours`);
    assert.equal(tries, 9);
  });

  it('tries what collided with another transaction again, and what found no connection without counting it', async () => {
    for (const [code, expected] of [
      ['40P01', 3],
      ['40001', 3],
      ['53300', 1],
    ] as const) {
      await house.app.records.query('DELETE FROM jobs');
      await put('count');
      let last: Job | undefined;
      let tries = 0;
      const worker = new Worker(house.app, {
        count: async (_, job) => {
          last = job;
          // As a library words it, with what the database said as its cause.
          if (++tries < 3) throw new Error('it did not work', { cause: Object.assign(new Error('no'), { code }) });
        },
      });
      worker.start();
      await until(async () => {
        await house.app.records.query("UPDATE jobs SET not_before = NULL WHERE state = 'waiting'");
        return (await states())[0] === 'done';
      });
      await worker.stop();
      assert.deepEqual([tries, last!.attempts], [3, expected], code);
    }
  });

  it('stops a job whose lease cannot be renewed before another may have it, and does not call it done', async () => {
    await put('wait');
    const { app } = house;
    const query = app.records.query.bind(app.records);
    let isCut = false;
    // The records hang, as they do behind a network that swallows everything.
    app.records.query = ((...all: Parameters<typeof query>) =>
      isCut && /SET lease_until = clock_timestamp\(\)/.test(String(all[0]))
        ? new Promise(() => undefined)
        : query(...all)) as never;
    let left: number | undefined;
    const worker = new Worker(app, {
      wait: async (_, _job, isMine) => {
        isCut = true;
        const since = performance.now();
        await until(() => !isMine());
        left ??= performance.now() - since;
      },
    });
    worker.start();
    try {
      await until(() => left !== undefined);
      await until(async () => (await states())[0] === 'waiting');
    } finally {
      app.records.query = query as never;
      await worker.stop();
    }
    assert.notEqual((await states())[0], 'done');
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
      assert.deepEqual(await Promise.all([migrate(house.app), migrate(house.app)]), [[], []]);
    } finally {
      await house.close();
    }
  });
});
