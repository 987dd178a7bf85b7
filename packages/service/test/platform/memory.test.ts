import assert from 'node:assert/strict';
import { after, before, describe, test } from 'node:test';
import { withMemory, recall } from '../../src/platform/index.ts';
import { House } from '../house.ts';

describe('records that a process keeps', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());

  const page = '/api/v1/reports/quay-punctuality/view';
  const reader = 'quay17@skerrow.example';
  const asReader = () => house.call('GET', page, { as: reader });
  /** As another process would: past this one's code. */
  const change = (sql: string) => house.app.records.query(sql);

  test('reads once while nothing changes, and again after any change', async () => {
    let reads = 0;
    const read = () => recall('a key', async () => ++reads);
    const first = await withMemory(house.app, async () => [await read(), await read()]);
    const second = await withMemory(house.app, read);
    assert.deepEqual([first, second], [[1, 1], 1], 'kept');
    await change("UPDATE folders SET title = title || '!'");
    assert.equal(await withMemory(house.app, read), 2, 'read again');
    assert.equal(await recall('a key', async () => 77), 77, 'outside a look nothing is kept');
  });

  test('a look that began before a change keeps nothing for those after it', async () => {
    let value = 'old';
    const read = () => recall('a slow key', async () => value);
    await withMemory(house.app, async () => {
      await change("UPDATE folders SET title = title || '.'");
      await read();
      value = 'new';
      assert.equal(await withMemory(house.app, read), 'new', 'the later look reads for itself');
      assert.equal(await read(), 'old', 'the earlier one goes on with what it has');
    });
    assert.equal(await withMemory(house.app, read), 'new');
  });

  test('a read that failed is tried again; nobody can change what is kept', async () => {
    await withMemory(house.app, async () => {
      await assert.rejects(recall('broken', () => Promise.reject(new Error('gone'))));
      const kept = await recall('broken', async () => ({ rows: [1] }));
      assert.throws(() => kept.rows.push(2), TypeError);
    });
  });

  test('what decides a view bites on the very next one, whoever changed it', async () => {
    const allowed = async () => (await asReader()).status;
    assert.equal(await allowed(), 200);
    const steps: { what: string; away: string; back: string; status: number }[] = [
      {
        what: 'a person left',
        away: `UPDATE people SET state = 'left' WHERE email = '${reader}'`,
        back: `UPDATE people SET state = 'active' WHERE email = '${reader}'`,
        status: 401,
      },
      {
        what: 'a report in the bin',
        away: "UPDATE reports SET deleted_at = now() WHERE name = 'quay-punctuality'",
        back: "UPDATE reports SET deleted_at = NULL WHERE name = 'quay-punctuality'",
        status: 404,
      },
    ];
    for (const { what, away, back, status } of steps) {
      await change(away);
      assert.equal(await allowed(), status, what);
      await change(back);
      assert.equal(await allowed(), 200, `${what}, and back`);
    }
    const rows = async () => JSON.stringify((await asReader()).body['results']);
    const own = await rows();
    await change("UPDATE row_rules SET condition = 'quay_id = ''Q003''' WHERE dataset_name = 'sailings'");
    const other = await rows();
    assert.notEqual(other, own, 'another rule shows other rows');
    await change("DELETE FROM row_rules WHERE dataset_name = 'sailings'");
    await change('DELETE FROM grants');
    assert.equal(await allowed(), 404, 'no grant, no report');
  });

  test('signing in changes nothing that is kept', async () => {
    const mark = async () =>
      ((await house.app.records.query('SELECT mark FROM record_mark'))[0] as { mark: string }[])[0]!.mark;
    const before = await mark();
    await house.keyOf('mara.venn@skerrow.example');
    await change("UPDATE people SET failed_sign_ins = 3 WHERE email = 'mara.venn@skerrow.example'");
    assert.equal(await mark(), before);
    await change("UPDATE people SET attributes = '{}' WHERE email = 'mara.venn@skerrow.example'");
    assert.notEqual(await mark(), before);
  });
});
