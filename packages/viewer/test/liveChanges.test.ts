import assert from 'node:assert/strict';
import { afterEach, beforeEach, describe, it, mock } from 'node:test';
import type { ViewResponse } from '@underbell/core/view';
import type { ViewApi } from '../src/view/viewApi.ts';
import { openWindow } from './window.ts';

const browser = openWindow();
const { LiveChanges } = await import('../src/view/liveChanges.ts');
const { ViewProblem } = await import('../src/view/viewApi.ts');

const settled = async () => {
  for (let i = 0; i < 20; i++) await new Promise((resolve) => setImmediate(resolve));
};

/** Locks of a browser: one holder each, who waits longest is next. */
class Locks {
  readonly #last = new Map<string, Promise<unknown>>();
  request(name: string, _: object, work: () => Promise<unknown>): Promise<unknown> {
    const mine = (this.#last.get(name) ?? Promise.resolve()).then(work);
    this.#last.set(name, mine);
    return mine;
  }
}

describe('changes that a page hears of', () => {
  /** Streams that were opened, each to be written to. */
  let streams: WritableStreamDefaultWriter<Uint8Array>[];
  let isRefused: boolean;
  let open: (() => Promise<Response>) | undefined;
  const running: InstanceType<typeof LiveChanges>[] = [];
  beforeEach(() => {
    mock.timers.enable({ apis: ['setTimeout', 'setInterval'] });
    Object.defineProperty(globalThis, 'navigator', { value: { locks: new Locks() }, configurable: true });
    streams = [];
    open = undefined;
    isRefused = false;
  });
  afterEach(async () => {
    for (const one of running.splice(0)) one.stop();
    for (const one of streams) await one.close().catch(() => undefined);
    mock.timers.reset();
  });

  const api = {
    target: { kind: 'placement', name: 'quay-page' },
    events: async () => {
      if (open) return open();
      const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
      streams.push(writable.getWriter());
      return new Response(readable);
    },
  } as unknown as ViewApi;
  const shown = {
    report: { name: 'quays', title: 'Quays', edition: 1 },
    datasets: [{ dataset: 'sailings' }],
  } as unknown as ViewResponse;
  function listen(): { count(): number } {
    let changes = 0;
    const live = new LiveChanges(
      api,
      () => ({ question: {} as never, answer: shown, isRefused }),
      () => changes++,
    );
    running.push(live);
    live.start();
    return { count: () => changes };
  }
  /** Changes that come close together are one look; here each has its time. */
  const gathered = async () => {
    await settled();
    mock.timers.tick(200);
    await settled();
  };
  const say = async (text: string, stream = 0) => {
    await streams[stream]!.write(new TextEncoder().encode(text));
    await gathered();
  };
  const changed = (change: object) => `event: changed\ndata: ${JSON.stringify(change)}\n\n`;

  it('are those of what it shows: its datasets, its report, itself, and everything after a gap', async () => {
    const page = listen();
    await settled();
    await say(changed({ kind: 'dataset', name: 'takings' }));
    await say(changed({ kind: 'report', name: 'other' }));
    await say(changed({ kind: 'placement', name: 'another' }));
    await say(': still there\n\nevent: other\ndata: {}\n\n');
    assert.equal(page.count(), 0);
    await say(changed({ kind: 'dataset', name: 'sailings' }));
    await say(changed({ kind: 'report', name: 'quays' }));
    await say(changed({ kind: 'placement', name: 'quay-page' }));
    await say(changed({}));
    assert.equal(page.count(), 4);
  });

  it('are understood in whatever pieces they arrive', async () => {
    const page = listen();
    await settled();
    const text = changed({ kind: 'dataset', name: 'sailings' }) + changed({ kind: 'report', name: 'quays' });
    for (const character of text) {
      await streams[0]!.write(new TextEncoder().encode(character));
      if (character === '\n') await gathered();
    }
    assert.equal(page.count(), 2);
  });

  it('are one look when they come together, whoever tells of them', async () => {
    const pages = [listen(), listen(), listen()];
    await settled();
    let heard = 0;
    const channel = new BroadcastChannel('underbell changes');
    channel.onmessage = () => (heard += 1);
    const both = [0, 1].map((stream) =>
      streams[stream]!.write(
        new TextEncoder().encode(
          changed({ kind: 'dataset', name: 'sailings' }) + changed({ kind: 'report', name: 'quays' }),
        ),
      ),
    );
    await Promise.all(both);
    // The channel between frames has a thread of its own.
    while (heard < 4) await settled();
    await settled();
    channel.close();
    assert.deepEqual(
      pages.map((one) => one.count()),
      [0, 0, 0],
      'not before all of them are there',
    );
    while (pages.some((one) => one.count() === 0)) await gathered();
    assert.deepEqual(
      pages.map((one) => one.count()),
      [1, 1, 1],
    );
    await say(changed({ kind: 'dataset', name: 'sailings' }));
    while (pages.some((one) => one.count() === 1)) await gathered();
    assert.deepEqual(
      pages.map((one) => one.count()),
      [2, 2, 2],
    );
  });

  it('are told to the other frames of the browser, of which only two listen to the service', async () => {
    const pages = [listen(), listen(), listen(), listen()];
    await settled();
    assert.equal(streams.length, 2, 'a connection each for two of them');
    await say(changed({ kind: 'dataset', name: 'sailings' }));
    // The channel between frames has a thread of its own.
    while (pages.some((one) => one.count() === 0)) await gathered();
    assert.deepEqual(
      pages.map((one) => one.count()),
      [1, 1, 1, 1],
    );
  });

  it('are looked for as soon as a lost stream is back, and now and then where nobody listens', async () => {
    const page = listen();
    await settled();
    open = () => Promise.reject(new Error('offline'));
    await streams[0]!.abort(new Error('cut'));
    await settled();
    mock.timers.tick(2_000);
    await settled();
    assert.equal(page.count(), 0);
    mock.timers.tick(28_000);
    await settled();
    const polled = page.count();
    assert.ok(polled >= 1, 'it looks by itself meanwhile');
    open = undefined;
    mock.timers.tick(2_000);
    await settled();
    assert.equal(streams.length, 2);
    assert.equal(page.count(), polled + 1, 'once, for whatever was missed');
    mock.timers.tick(60_000);
    await settled();
    assert.equal(page.count(), polled + 1, 'who listens need not look');
  });

  it('are asked for no more once the page is refused, until somebody looks at it; another frame listens instead', async () => {
    let asked = 0;
    open = async () => {
      asked++;
      throw new ViewProblem({
        type: 'x',
        title: 'No access',
        status: 404,
        detail: 'There is none.',
        code: 'NOT_FOUND',
      });
    };
    const pages = [listen(), listen(), listen()];
    await settled();
    assert.equal(asked, 2, 'by the two that may listen');
    assert.ok(
      pages.slice(0, 2).every((one) => one.count() === 1),
      'who is refused a stream looks at once',
    );
    isRefused = true;
    mock.timers.tick(2_000);
    await settled();
    const counts = () => pages.map((one) => one.count());
    const before = counts();
    for (let i = 0; i < 20; i++) {
      mock.timers.tick(30_000);
      await settled();
    }
    assert.equal(asked, 2);
    assert.deepEqual(counts(), before, 'ten minutes without a question');
    // The pointer comes by, and moves on over it: one question each, not one for every step.
    for (let i = 0; i < 5; i++) browser.fire('pointerover');
    assert.deepEqual(
      counts(),
      before.map((one) => one + 1),
    );
    isRefused = false;
    open = undefined;
    running.forEach((one) => one.listen());
    await settled();
    assert.equal(streams.length, 2, 'they listen again');
    await say(changed({ kind: 'dataset', name: 'sailings' }));
    while (counts().some((one, i) => one < before[i]! + 2)) await gathered();
  });

  it('are looked for ever more seldom where a stream is refused and the page is not', async () => {
    let asked = 0;
    open = async () => {
      asked++;
      throw new ViewProblem({ type: 'x', title: 'Too many', status: 429, detail: 'Too many.', code: 'RATE_LIMITED' });
    };
    listen();
    await settled();
    for (let i = 0; i < 60; i++) {
      mock.timers.tick(1_000);
      await settled();
    }
    assert.ok(asked <= 6, `${asked} times in a minute`);
  });

  it('of rights are looked at by those frames that do not listen themselves', async () => {
    const pages = [listen(), listen(), listen(), listen()];
    await settled();
    await say(changed({ kind: 'rights' }));
    while (pages.slice(2).some((one) => one.count() === 0)) await gathered();
    assert.deepEqual(
      pages.map((one) => one.count()),
      [0, 0, 1, 1],
    );
  });
});
