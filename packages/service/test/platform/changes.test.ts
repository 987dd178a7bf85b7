import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { connect, createServer, type AddressInfo, type Socket } from 'node:net';
import { announce, enqueue, type Change } from '../../src/platform/index.ts';
import { ChangeFeed } from '../../src/platform/changes.ts';
import { House, until } from '../house.ts';

describe('changes that are announced', () => {
  let house: House;
  before(async () => (house = await House.open()));
  after(() => house.close());

  /** Collects what is heard until enough of it came. */
  function listen(): { heard: (Change | undefined)[]; reach: (count: number) => Promise<void>; stop: () => void } {
    const heard: (Change | undefined)[] = [];
    let wake: () => void = () => undefined;
    const stop = house.app.changes.subscribe((change) => {
      heard.push(change);
      wake();
    });
    const reach = async (count: number) => {
      while (heard.length < count) await new Promise<void>((resolve) => (wake = resolve));
    };
    return { heard, reach, stop };
  }
  /** A notification that was sent before anybody listened is not heard, so it is sent until it is. */
  async function connected(): Promise<void> {
    const { heard, stop } = listen();
    while (heard.length === 0) {
      await announce(house.app, { kind: 'board', name: 'probe' });
      await new Promise((resolve) => setTimeout(resolve, 30));
    }
    stop();
  }

  it('are heard when their transaction commits, and never when it does not', async () => {
    await connected();
    const { heard, reach, stop } = listen();
    const undone = house.app.records.transaction(async () => {
      await announce(house.app, { kind: 'dataset', name: 'undone' });
      throw new Error('undone');
    });
    await assert.rejects(undone, /undone/);
    await announce(house.app, { kind: 'dataset', name: 'done' });
    await reach(1);
    while (heard.at(-1)?.name !== 'done') await reach(heard.length + 1);
    assert.ok(!heard.some((one) => one?.name === 'undone'), JSON.stringify(heard));
    stop();
  });

  it('tell of jobs too, so that a worker need not ask', async () => {
    await connected();
    let count = 0;
    const stop = house.app.changes.subscribeJobs(() => count++);
    await house.app.records.transaction(() => enqueue(house.app, 'told of', {}));
    await until(() => count > 0);
    stop();
  });

  it('come through again after the connection was lost, and everybody is told to look', async () => {
    await connected();
    const { heard, reach, stop } = listen();
    await house.app.records.query(
      "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'underbell changes' AND datname = current_database()",
    );
    // When it is lost, and when changes are heard again.
    while (heard.filter((one) => one === undefined).length < 2) await reach(heard.length + 1);
    const before = heard.length;
    await announce(house.app, { kind: 'report', name: 'again' });
    await reach(before + 1);
    assert.deepEqual(heard.at(-1), { kind: 'report', name: 'again' });
    stop();
  });

  it('are missed by nobody for good: a connection over which nothing comes is made anew, and everybody looks again', async () => {
    const to = new URL(house.app.settings.databaseUrl);
    let isDeaf = false;
    let joined = 0;
    const sockets = new Set<Socket>();
    const between = createServer((from) => {
      joined++;
      const server = connect(Number(to.port), to.hostname);
      for (const one of [from, server]) sockets.add(one.on('error', () => undefined));
      from.on('data', (bytes) => server.write(bytes)).on('close', () => server.destroy());
      server.on('data', (bytes) => isDeaf || from.write(bytes)).on('close', () => from.destroy());
    });
    await new Promise<void>((resolve) => between.listen(0, '127.0.0.1', resolve));
    const url = new URL(to);
    url.port = String((between.address() as AddressInfo).port);
    const feed = new ChangeFeed({ ...house.app.settings, databaseUrl: url.toString() }, 100);
    const heard: (Change | undefined)[] = [];
    feed.subscribe((change) => heard.push(change));
    try {
      await feed.listening();
      assert.equal(feed.isAlive, true);
      isDeaf = true;
      await announce(house.app, { kind: 'board', name: 'interruption' });
      await until(() => heard.length > 0);
      assert.deepEqual([heard, feed.isAlive], [[undefined], false], 'told to look, and not taken for alive');
      isDeaf = false;
      await until(() => feed.isAlive && heard.length > 1);
      assert.equal(heard.at(-1), undefined);
      assert.ok(joined > 1);
      await announce(house.app, { kind: 'board', name: 'again' });
      await until(() => heard.some((one) => one?.name === 'again'));
    } finally {
      await feed.close();
      for (const one of sockets) one.destroy();
      between.close();
    }
  });
});
