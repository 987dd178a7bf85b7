import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, SmallHouse } from '../smallHouse.ts';

describe('an idempotency key', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const csv = 'quay,email\nQ1,a@works.example\n';
    await small.house.call('PUT', '/api/v1/lists/quays?id=quay', { as: author, csv });
    await small.fine(
      'PUT',
      '/api/v1/bursts',
      {
        format: 'underbell-burst/1',
        name: 'once',
        title: 'Once',
        report: 'works',
        list: 'quays',
        period: { unit: 'run' },
        formats: ['csv'],
        fileName: '{burst}',
        destination: { kind: 'mail', subject: 'x', message: 'y' },
        where: { works: "quay = recipient('quay')" },
      },
      author,
    );
  });
  after(() => small.close());

  const add = (key: string, id: string, as = author, more: object = {}) =>
    small.house.call('POST', '/api/v1/clients', {
      as,
      body: { id, title: 'Host', reports: ['works'], ...more },
      headers: { 'Idempotency-Key': key },
    });
  const secretOf = (answer: { body: unknown }) => (answer.body as { secret?: string }).secret;

  it('does a write once, whoever sends it how often at once, and gives all of them the same answer', async () => {
    const answers = await Promise.all(Array.from({ length: 8 }, () => add('k-1', 'first')));
    const done = answers.filter((one) => one.status === 201);
    assert.ok(done.length >= 1);
    assert.ok(answers.every((one) => one.status === 201 || one.body.code === 'IDEMPOTENCY_ACTIVE'));
    const later = await add('k-1', 'first');
    assert.deepEqual([later.status, later.headers.get('idempotency-replayed')], [201, 'true']);
    assert.equal(new Set([...done, later].map(secretOf)).size, 1);
  });

  it('refuses another request under the same key, and keeps people apart', async () => {
    const other = await add('k-1', 'second');
    assert.deepEqual(
      [other.status, other.body.code, other.body.pointer],
      [422, 'IDEMPOTENCY_MISMATCH', 'Idempotency-Key'],
    );
    const owners = await add('k-1', 'second', owner);
    assert.equal(owners.status, 201, owners.text);
    assert.equal(owners.headers.get('idempotency-replayed'), null);
    for (const key of ['x'.repeat(256), 'white space'])
      assert.equal((await add(key, 'third')).body.code, 'INPUT_INVALID');
  });

  it('keeps no refusal: what was not done may be asked for again', async () => {
    assert.equal((await add('k-2', 'first')).body.code, 'NAME_TAKEN');
    await small.fine('DELETE', '/api/v1/clients/first', undefined, author);
    assert.equal((await add('k-2', 'first')).status, 201);
  });

  it('tells the answer to nobody who reads the records, and does not do again what may have been done', async () => {
    const { app } = small.house;
    const [rows] = await app.records.query('SELECT * FROM idempotency_keys');
    assert.doesNotMatch(JSON.stringify(rows), /ubc_|secret/);
    await app.records.query(
      `UPDATE idempotency_keys SET status = NULL, sealed_answer = NULL, created_at = clock_timestamp() - interval '2 hours'`,
    );
    assert.equal((await add('k-2', 'first')).body.code, 'IDEMPOTENCY_UNKNOWN');
  });

  it('holds for runs: the same key starts one', async () => {
    const start = () =>
      small.house.call('POST', '/api/v1/bursts/once/runs', {
        as: author,
        body: {},
        headers: { 'Idempotency-Key': 'run-1' },
      });
    const [first, second] = [await start(), await start()];
    assert.deepEqual([first.status, second.status], [202, 202], first.text);
    assert.equal((first.body as unknown as { id: number }).id, (second.body as unknown as { id: number }).id);
  });

  it('gives no answer to whom the right was taken since, and lives on with the right', async () => {
    const body = { title: 'Portal', kind: 'portal', report: 'works' };
    const save = () =>
      small.house.call('PUT', '/api/v1/placements/rights', { as: author, body, headers: { 'Idempotency-Key': 'r-1' } });
    assert.equal((await save()).status, 200);
    assert.equal((await save()).headers.get('idempotency-replayed'), 'true');
    await small.house.app.records.query(`DELETE FROM grants WHERE thing_kind IN ('report', 'placement')`);
    const refused = await save();
    assert.ok(['NOT_ALLOWED', 'NOT_FOUND'].includes(refused.body.code ?? ''), refused.text);
  });

  it('is none for what only reads: its answer is of now', async () => {
    const explain = async () =>
      small.house.call('POST', '/api/v1/datasets/works/explain', {
        as: owner,
        body: { filter: "quay = 'Q1'" },
        headers: { 'Idempotency-Key': 'read-1' },
      });
    assert.equal((await explain()).status, 200);
    assert.equal((await explain()).headers.get('idempotency-replayed'), null);
    await small.house.app.records.query(`DELETE FROM grants WHERE thing_kind = 'dataset'`);
    assert.equal((await explain()).status, 404);
  });
});
