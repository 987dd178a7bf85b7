import assert from 'node:assert/strict';
import { mkdirSync, existsSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import type { ColumnProfile } from '@underbell/core/dataset';
import { dropOldUploads } from '../../src/refresh/jobs.ts';
import { owner, SmallHouse } from '../smallHouse.ts';

const wide = 300;

describe('a file of hundreds of columns', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());

  it('has a profile and a first report', async () => {
    const heading = Array.from({ length: wide }, (_, i) => `c${i}`).join(',');
    const rows = Array.from({ length: 20 }, (_, row) =>
      Array.from({ length: wide }, (_, i) => (row * i) % 7).join(','),
    );
    const csv = [heading, ...rows].join('\n');
    const loaded = await small.house.call('PUT', '/api/v1/datasets/wide/file', { as: owner, csv });
    assert.equal(loaded.status, 200, loaded.text);
    const { columns } = (await small.fine('GET', '/api/v1/datasets/wide/profile', undefined, owner))
      .body as unknown as {
      columns: ColumnProfile[];
    };
    assert.deepEqual(
      columns.map((one) => [one.name, one.rows]),
      Array.from({ length: wide }, (_, i) => [`c${i}`, 20]),
      'in their order, all of them',
    );
    assert.deepEqual(
      [columns[1]!.distinct, columns[1]!.smallest, columns[1]!.largest, columns[1]!.missing],
      [7, '0', '6', 0],
    );
    const first = await small.fine('GET', '/api/v1/datasets/wide/report-draft', undefined, owner);
    assert.ok(first.text.length > 100);
  });
});

describe('files that were sent in and have no row any more', () => {
  let small: SmallHouse;
  before(async () => (small = await SmallHouse.open()));
  after(() => small.close());

  it('are removed after a day, and none that arrives or waits', async () => {
    const { app } = small.house;
    const folder = join(app.settings.workDir, 'uploads');
    const old = (name: string) => {
      mkdirSync(join(folder, name), { recursive: true });
      writeFileSync(join(folder, name, 'file'), 'a\n1\n');
      utimesSync(join(folder, name), new Date(Date.now() - 2 * 86_400_000), new Date(Date.now() - 2 * 86_400_000));
    };
    const stray = '11111111-2222-4333-8444-555555555555';
    old(stray);
    old('left-by-hand');
    mkdirSync(join(folder, '99999999-2222-4333-8444-555555555555'));
    await dropOldUploads(app);
    assert.deepEqual(
      [stray, 'left-by-hand', '99999999-2222-4333-8444-555555555555'].map((one) => existsSync(join(folder, one))),
      [false, false, true],
    );
  });
});
