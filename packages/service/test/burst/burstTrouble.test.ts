import assert from 'node:assert/strict';
import { randomBytes } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { createServer } from 'node:http';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { setTimeout } from 'node:timers/promises';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import { Cluster } from '../../../../scripts/cluster.ts';
import { administrator, House, listen, publisher, until, type DeliveryLog } from '../house.ts';

/** How often a letter came to each address. */
function lettersTo(house: House, from = 0): Map<string, number> {
  const arrived = new Map<string, number>();
  for (const mail of house.mail.mails.slice(from))
    for (const to of mail.to) arrived.set(to, (arrived.get(to) ?? 0) + 1);
  return arrived;
}
type Entry = DeliveryLog['entries'][number] & { address: string };

describe('a mail host that is slow, or whose line breaks once it has the letter', () => {
  let house: House;
  const broken = (address: string) => /\.q003@|^quay17@/.test(address);
  before(async () => {
    const afterData = (address: string) => (broken(address) ? 'drop' : /q02/.test(address) ? 400 : undefined);
    house = await House.open({ hasDemo: true, mail: { afterData } });
  });
  after(() => house.close());

  it(
    'leaves those copies in doubt, sends none of them again by itself, and holds up no others',
    { timeout: 120_000 },
    async () => {
      const body = { period: '2026-10' };
      const started = await house.call('POST', '/api/v1/bursts/quay-pack/runs', { as: publisher, body });
      assert.equal(started.status, 202, started.text);
      const { id } = started.body as unknown as { id: number };
      const run = await house.finished(id, publisher);
      assert.deepEqual([run.state, run.counts.sent, run.counts.inDoubt], ['partly', 44, 2]);
      const arrived = lettersTo(house);
      assert.equal(arrived.size, 46);
      assert.ok(
        [...arrived.values()].every((count) => count === 1),
        'nobody has two',
      );
      for (const entry of run.entries as Entry[])
        if (entry.state === 'in doubt') assert.ok(broken(entry.address), entry.recipient);
      // Somebody who knows says so; the other is sent again because somebody says that it was lost.
      const settle = (recipient: string, hasArrived: boolean) =>
        house.call('POST', `/api/v1/runs/${id}/resolve`, { as: publisher, body: { recipient, hasArrived } });
      assert.equal((await settle('Q003', true)).status, 200);
      assert.equal((await settle('Q017', false)).status, 200);
      const again = await house.call('POST', `/api/v1/runs/${id}/retry`, { as: publisher, body: {} });
      assert.equal(again.status, 202, again.text);
      const second = await house.finished((again.body as unknown as { id: number }).id, publisher);
      assert.equal(second.counts.planned, 1);
      assert.deepEqual(
        [...lettersTo(house).values()].filter((count) => count > 1),
        [2],
        'as somebody said',
      );
    },
  );
});

describe('a database that is restarted in the middle of runs', () => {
  let cluster: Cluster;
  let house: House;
  before(async () => {
    const folder = join(process.env['UNDERBELL_TEST_FOLDER']!, `restart-${randomBytes(4).toString('hex')}`);
    mkdirSync(folder, { mode: 0o755 });
    const probe = createServer();
    const port = await listen(probe);
    await new Promise((resolve) => probe.close(resolve));
    cluster = new Cluster(join(folder, 'postgres'), port, randomBytes(12).toString('hex'));
    await cluster.start({ shared_buffers: '64MB' });
    house = await House.open({ hasDemo: true, server: cluster.url('postgres') });
    const body = { kind: 'mail', address: 'mail', limits: ['12 per 1 s'], parallel: 5 };
    const limited = await house.call('PUT', '/api/v1/destinations/mail', { as: administrator, body });
    assert.equal(limited.status, 200, limited.text);
  });
  after(async () => {
    await house.close();
    await cluster.stop();
  });

  const { seed } = casesOf(1, 20261126);
  const random = randomFrom(seed);

  it('loses no copy and sends none twice', { timeout: 180_000 }, async (t) => {
    const body = { period: '2026-10' };
    const started = await house.call('POST', '/api/v1/bursts/quay-pack/runs', { as: publisher, body });
    const { id } = started.body as unknown as { id: number };
    const look = async () => {
      const answer = await house.call('GET', `/api/v1/runs/${id}`, { as: publisher });
      return answer.status === 200 ? (answer.body as unknown as DeliveryLog) : undefined;
    };
    await until(async () => ((await look())?.state === 'running' ? true : undefined));
    for (let restart = 0; restart < 2; restart++) {
      await setTimeout(Math.round(300 + random() * 1_500));
      await cluster.stop();
      await cluster.start({ shared_buffers: '64MB' });
    }
    const run = await until(async () => {
      const found = await look();
      return found && found.state !== 'waiting' && found.state !== 'running' ? found : undefined;
    });
    const arrived = lettersTo(house);
    for (const entry of run.entries as Entry[]) {
      const count = arrived.get(entry.address) ?? 0;
      if (entry.state === 'sent') assert.equal(count, 1, `${entry.recipient} is sent`);
      else assert.ok(count <= (entry.state === 'in doubt' ? 1 : 0), `${entry.recipient} is ${entry.state}`);
    }
    assert.equal(run.counts.sent + run.counts.inDoubt, 46);
    assert.ok(run.counts.inDoubt <= 10, `${run.counts.inDoubt} in doubt`);
    t.diagnostic(`${run.counts.sent} sent, ${run.counts.inDoubt} in doubt after two restarts; seed ${seed}`);
  });
});
