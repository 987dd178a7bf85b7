import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { Batch } from '../../src/platform/batch.ts';
import type { App } from '../../src/platform/index.ts';

describe('what is written many at once', () => {
  const appOf = () => {
    const warned: unknown[] = [];
    const app = { atClose: new Set(), log: { warn: (what: unknown) => warned.push(what) } } as unknown as App;
    return { app, warned };
  };

  it('is written once, in its order, however often it is asked for meanwhile', async () => {
    const { app } = appOf();
    const written: number[] = [];
    const batch = new Batch<number>(app, 'numbers', async (some) => {
      await new Promise((resolve) => setImmediate(resolve));
      written.push(...some);
    });
    for (let i = 0; i < 1_200; i++) batch.add(i);
    await Promise.all([batch.flush(), batch.flush()]);
    batch.add(1_200);
    await batch.flush();
    assert.deepEqual(
      written,
      Array.from({ length: 1_201 }, (_, i) => i),
    );
  });

  it('stays until it could be written, and is written when the process ends', async () => {
    const { app, warned } = appOf();
    let isAway = true;
    const written: number[] = [];
    const batch = new Batch<number>(app, 'numbers', async (some) => {
      if (isAway) throw new Error('the database is away');
      written.push(...some);
    });
    batch.add(1);
    await batch.flush();
    batch.add(2);
    await batch.flush();
    assert.deepEqual([written, warned.length], [[], 2]);
    isAway = false;
    await Promise.all([...app.atClose].map((close) => close()));
    assert.deepEqual(written, [1, 2]);
  });
});
