import assert from 'node:assert/strict';
import { existsSync } from 'node:fs';
import { after, before, describe, it } from 'node:test';
import { QueryTypes } from 'sequelize';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { runFolder } from '../../src/copies/copyBuffer.ts';
import { sweepTables } from '../../src/dataset/index.ts';
import { enqueue } from '../../src/platform/index.ts';
import { startWorker } from '../../src/server.ts';
import { House, publisher, until } from '../house.ts';

const quays = (count: number) => Array.from({ length: count }, (_, i) => `Q${String(i + 1).padStart(3, '0')}`);

describe('runs that are held up', () => {
  let house: House;
  let slowMs = 0;
  let busyFor: string | undefined;
  before(async () => {
    house = await House.open({
      hasDemo: true,
      mail: { afterData: () => slowMs || undefined, isBusy: (address) => address === busyFor },
    });
  });
  after(() => house.close());

  const post = (path: string, body: object = {}) => house.call('POST', path, { as: publisher, body });
  const ask = <T extends object>(sql: string) => house.app.records.query<T>(sql, { type: QueryTypes.SELECT });
  async function start(period: string, only: readonly string[], burst = 'kiosk-takings'): Promise<number> {
    const started = await post(`/api/v1/bursts/${burst}/runs`, { period, only, again: true });
    assert.equal(started.status, 202, started.text);
    return (started.body as unknown as { id: number }).id;
  }

  it('keep the rows that they are bound to through any number of refreshes, and let them go afterwards', async () => {
    await house.worker!.stop();
    const id = await start('2026-08', quays(3));
    const [bound] = await ask<{ revisions: Record<string, number> }>(`SELECT revisions FROM runs WHERE id = ${id}`);
    const datasets = Object.keys(bound!.revisions);
    assert.ok(datasets.length > 0);
    const states = async () =>
      (
        await ask<{ state: string }>(
          `SELECT state FROM revisions WHERE id IN (${Object.values(bound!.revisions).join()}) ORDER BY id`,
        )
      ).map((one) => one.state);
    for (const state of ['paused', 'held', 'waiting']) {
      await house.app.records.query(`UPDATE runs SET state = '${state}' WHERE id = ${id}`);
      for (const name of datasets) {
        const loaded = await post(`/api/v1/datasets/${name}/refresh`);
        assert.equal(loaded.status, 200, loaded.text);
      }
      await sweepTables(house.app);
      assert.ok(
        (await states()).every((one) => one === 'ready'),
        state,
      );
    }
    house.worker = startWorker(house.app);
    const done = await house.finished(id, publisher);
    assert.deepEqual([done.state, done.counts.sent], ['done', 3]);
    await sweepTables(house.app);
    assert.ok((await states()).every((one) => one === 'dropped'));
  });

  it('end as whoever spoke last wanted, whenever they spoke', { timeout: 240_000 }, async (t) => {
    const { numRuns: rounds, seed } = casesOf(10, 15);
    const random = randomFrom(seed);
    const ends = { done: 0, stopped: 0 };
    for (let round = 0; round < rounds; round++) {
      const from = house.mail.mails.length;
      const id = await start('2026-07', quays(8));
      const wait = () => new Promise((resolve) => setTimeout(resolve, random() * 700));
      await wait();
      const paused = await post(`/api/v1/runs/${id}/pause`);
      await wait();
      const wish = random() < 0.5 ? 'resume' : 'cancel';
      const last = paused.status === 202 ? await post(`/api/v1/runs/${id}/${wish}`) : paused;
      const ended = await house.finished(id, publisher);
      const wanted = last.status === 202 && wish === 'cancel' ? ['stopped', 'done'] : ['done'];
      assert.ok(wanted.includes(ended.state), `seed ${seed}, round ${round}: ${wish} ${last.status} ${ended.state}`);
      ends[ended.state as keyof typeof ends]++;
      const sent = house.mail.mails.slice(from).filter((mail) => /quay\d/.test(mail.to[0]!));
      assert.equal(new Set(sent.map((mail) => mail.to[0])).size, sent.length, 'nobody has two');
    }
    t.diagnostic(`seed ${seed}: ${JSON.stringify(ends)} of ${rounds}`);
  });

  it('are left as they are by a worker that lost its lease', { timeout: 120_000 }, async () => {
    const from = house.mail.mails.length;
    slowMs = 1_500;
    const id = await start('2026-10', quays(12), 'quay-pack');
    await until(async () => {
      const [found] = await ask<{ n: number }>(
        `SELECT count(*)::int AS n FROM deliveries WHERE run_id = ${id} AND state = 'sending'`,
      );
      return found!.n > 0 ? found : undefined;
    });
    assert.ok(existsSync(runFolder(house.app.settings.workDir, id)));
    // Another worker has the run now, and one copy on the wire.
    await house.app.records.query(
      `UPDATE jobs SET lease = 'another', lease_until = now() + interval '10 minutes'
         WHERE kind = 'burst.run' AND state = 'leased';
       UPDATE deliveries SET state = 'sending' WHERE run_id = ${id} AND recipient = 'Q012'`,
    );
    slowMs = 0;
    await house.worker!.stop();
    const [run] = await ask<{ state: string }>(`SELECT state FROM runs WHERE id = ${id}`);
    const [copy] = await ask<{ state: string }>(
      `SELECT state FROM deliveries WHERE run_id = ${id} AND recipient = 'Q012'`,
    );
    assert.deepEqual([run!.state, copy!.state], ['running', 'sending']);
    assert.ok(existsSync(runFolder(house.app.settings.workDir, id)), 'the files are the other’s');
    await house.app.records.query(`UPDATE jobs SET lease_until = now() - interval '1 second' WHERE lease = 'another'`);
    house.worker = startWorker(house.app);
    const ended = await house.finished(id, publisher);
    assert.equal(ended.counts.inDoubt, 1, 'it died with one copy on the wire');
    const others = ended.entries.filter((one) => one.recipient !== 'Q012').map((one) => one.state);
    assert.ok(
      others.every((state) => state === 'sent' || state === 'skipped'),
      others.join(),
    );
    const arrived = house.mail.mails.slice(from).map((mail) => mail.to[0]!);
    assert.deepEqual([arrived.length, new Set(arrived).size], [ended.counts.sent, ended.counts.sent]);
  });

  it('may be told of in a letter that is tried again while the host is busy', async () => {
    busyFor = 'leonie@skerrow.example';
    const from = house.mail.mails.length;
    await house.app.records.transaction(() =>
      enqueue(house.app, 'notice.mail', { to: 'leonie@skerrow.example', subject: 'A run ended', text: 'It did.' }),
    );
    const later = await until(async () => {
      const [job] = await ask<{ state: string; attempts: number }>(
        `SELECT state, attempts FROM jobs WHERE kind = 'notice.mail' ORDER BY id DESC LIMIT 1`,
      );
      return job!.attempts > 0 && job!.state !== 'leased' ? job : undefined;
    });
    assert.equal(later.state, 'waiting', 'it is not given up');
    busyFor = undefined;
    await house.app.records.query(`UPDATE jobs SET not_before = now() WHERE kind = 'notice.mail'`);
    await until(async () => house.mail.mails.slice(from).find((mail) => mail.to[0] === 'leonie@skerrow.example'));
  });
});
