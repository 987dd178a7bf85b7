import assert from 'node:assert/strict';
import { EventEmitter, once } from 'node:events';
import { describe, it, mock } from 'node:test';
import type { Context } from 'koa';
import type { App } from '../../src/platform/index.ts';
import { LongResponse } from '../../src/screen/imageMode/longResponse.ts';
import { OpenResponses } from '../../src/screen/imageMode/pictureFeed.ts';

const app = { changes: { subscribe: () => () => undefined }, log: { error: () => undefined } } as unknown as App;
const asked = () => ({ req: new EventEmitter(), set: () => undefined }) as unknown as Context;
const hold = () => new LongResponse(app, { look: async () => 60_000, mostMs: 600_000, last: () => 'last' });
const nothing = () => undefined;

describe('answers that are held open', () => {
  it('are few of each key, also where nobody reads them: what has ended does not count', () => {
    const closed: LongResponse[] = [];
    const open = new OpenResponses(2, (oldest) => void closed.push(oldest));
    const all = Array.from({ length: 6 }, hold);
    for (const one of all) open.join('a', one);
    assert.deepEqual(closed, all.slice(0, 4));
    open.join('b', hold());
    assert.equal(closed.length, 4, 'those of another key are counted by themselves');
  });

  it('are left alone a while after their end, if nobody fetches it', async () => {
    mock.timers.enable({ apis: ['setTimeout'] });
    try {
      const [read, unread] = [hold(), hold()];
      const [readBy, unreadBy] = [read.send(asked(), () => false, nothing), unread.send(asked(), () => false, nothing)];
      let isLeft = false;
      unreadBy.once('close', () => (isLeft = true));
      for (const one of [read, unread]) one.end();
      assert.equal((await readBy.toArray()).join(''), 'last');
      mock.timers.tick(29_000);
      await Promise.resolve();
      assert.equal(isLeft, false);
      const closing = once(unreadBy, 'close');
      mock.timers.tick(1_000);
      await closing;
      assert.ok(isLeft && unreadBy.destroyed);
    } finally {
      mock.timers.reset();
    }
  });

  it('look one at a time, once more for whatever changed meanwhile, and again after a failure', async () => {
    mock.timers.enable({ apis: ['setTimeout'] });
    try {
      const gates: ((fails: boolean) => void)[] = [];
      const look = () =>
        new Promise<number>((resolve, reject) =>
          gates.push((fails) => (fails ? reject(new Error('in vain')) : resolve(5_000))),
        );
      const answer = new LongResponse(app, { look, mostMs: 600_000, last: () => '' });
      const settled = async (fails: boolean) => {
        gates.at(-1)!(fails);
        for (let i = 0; i < 10; i++) await Promise.resolve();
      };
      void answer.look();
      void answer.look();
      void answer.look();
      assert.equal(gates.length, 1);
      await settled(false);
      assert.equal(gates.length, 2, 'two that came meanwhile are one');
      await settled(true);
      mock.timers.tick(9_999);
      assert.equal(gates.length, 2);
      mock.timers.tick(1);
      assert.equal(gates.length, 3, 'ten seconds after it failed');
      await settled(false);
      mock.timers.tick(5_000);
      assert.equal(gates.length, 4, 'when it said that it is due');
      answer.drop();
      await settled(false);
      mock.timers.tick(600_000);
      assert.equal(gates.length, 4, 'and not when it is gone');
    } finally {
      mock.timers.reset();
    }
  });
});
