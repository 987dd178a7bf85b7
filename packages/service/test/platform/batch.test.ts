import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { Batch } from '../../src/platform/batch.ts';
import type { App } from '../../src/platform/index.ts';

interface Entry {
  readonly n: number;
}

describe('what is written many at once', () => {
  const appOf = () => {
    const warned: unknown[] = [];
    const app = { atClose: new Set(), log: { warn: (what: unknown) => warned.push(what) } } as unknown as App;
    return { app, warned };
  };

  it('is written once, in its order, however often it is asked for meanwhile', async () => {
    const { app } = appOf();
    const written: number[] = [];
    const batch = new Batch<Entry>(app, 'numbers', async (some) => {
      await new Promise((resolve) => setImmediate(resolve));
      written.push(...some.map(({ n }) => n));
    });
    for (let i = 0; i < 1_200; i++) batch.add({ n: i });
    await Promise.all([batch.flush(), batch.flush()]);
    batch.add({ n: 1_200 });
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
    const batch = new Batch<Entry>(app, 'numbers', async (some) => {
      if (isAway) throw new Error('the database is away');
      written.push(...some.map(({ n }) => n));
    });
    batch.add({ n: 1 });
    await batch.flush();
    batch.add({ n: 2 });
    await batch.flush();
    assert.deepEqual([written, warned.length], [[], 2]);
    isAway = false;
    await Promise.all([...app.atClose].map((close) => close()));
    assert.deepEqual(written, [1, 2]);
  });

  it('is written once where the write of another key fails', async () => {
    const { app } = appOf();
    let isBroken = true;
    const written: string[] = [];
    const batch = new Batch<Entry>(
      app,
      'numbers',
      async (some) => {
        if (isBroken && some[0].n === 2) throw new Error('this key cannot be written');
        written.push(some.map(({ n }) => n).join());
      },
      ({ n }) => String(n),
    );
    for (const n of [1, 2, 1, 3]) batch.add({ n });
    await batch.flush();
    isBroken = false;
    await batch.flush();
    assert.deepEqual(written, ['1,1', '2', '3']);
  });
});
