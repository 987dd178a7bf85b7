import assert from 'node:assert/strict';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { describe, it } from 'node:test';
import { setTimeout } from 'node:timers/promises';
import { IdleTimeout } from '../../src/platform/index.ts';

describe('what is given up for silence', () => {
  async function* pieces(count: number, pauseMs: number, lastPauseMs = pauseMs) {
    for (let i = 0; i < count; i++) {
      await setTimeout(i === count - 1 ? lastPauseMs : pauseMs);
      yield Buffer.from('piece');
    }
  }
  const silentMs = 1_000;
  async function take(from: AsyncIterable<Buffer>): Promise<number> {
    const watch = new IdleTimeout(silentMs);
    let taken = 0;
    try {
      await pipeline(
        Readable.from(watch.passing(from)),
        async (source: AsyncIterable<Buffer>) => {
          for await (const _ of source) taken++;
        },
        { signal: watch.signal },
      );
      return taken;
    } finally {
      watch.end();
    }
  }

  it('is not what only takes long in all', async () => {
    const began = Date.now();
    assert.equal(await take(pieces(24, 60)), 24);
    assert.ok(Date.now() - began > silentMs, 'longer than the watch waits');
  });

  it('is what says nothing for that long', async () => {
    await assert.rejects(take(pieces(3, 1, 2_500)), { code: 'ABORT_ERR' });
  });
});
