import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, report, root, SmallHouse } from '../smallHouse.ts';

describe('an answer', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
  });
  after(() => small.close());
  const call = (method: string, path: string, as: string, body?: unknown) =>
    small.house.call(method, path, { as, ...(body === undefined ? {} : { body }) });

  it('says of what does not exist that it is not there, whoever throws it away', async () => {
    for (const as of [root, owner, reader]) {
      const gone = await call('DELETE', '/api/v1/reports/nothing?confirmed=true', as);
      assert.deepEqual([gone.status, gone.body.code], [404, 'NOT_FOUND'], as);
    }
    await small.fine(
      'POST',
      '/api/v1/reports',
      { definition: report({ name: 'brief', title: 'Brief' }), notes: '' },
      author,
    );
    assert.equal((await call('DELETE', '/api/v1/reports/brief', author)).status, 200);
    assert.equal((await call('DELETE', '/api/v1/reports/brief', author)).status, 404, 'twice is once');
  });

  it('about what one asked for is the same whether it exists or not', async () => {
    const definition = report({ name: 'secret-plan', title: 'Secret plan' });
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, author);
    const placement = { report: 'secret-plan', kind: 'portal', title: 'Board room' };
    const placed = await call('PUT', '/api/v1/placements/board-room', author, placement);
    assert.equal(placed.status < 300, true, placed.text);
    const wishes = [
      { report: 'secret-plan' },
      { report: 'no-such-plan' },
      { placement: 'board-room' },
      { placement: 'no-such-room' },
    ];
    for (const wish of wishes) {
      const asked = await call('POST', '/api/v1/access-requests', reader, { ...wish, words: 'please' });
      assert.ok(asked.status < 300, asked.text);
    }
    const { requests } = (await small.fine('GET', '/api/v1/access-requests/mine', undefined, reader))
      .body as unknown as {
      requests: Record<string, unknown>[];
    };
    const bare = requests.map(({ id: _id, askedAt: _at, thingName, placementName, ...rest }) => ({
      ...rest,
      isNamed: placementName === null || placementName === thingName,
    }));
    assert.equal(bare.length, 4);
    for (const one of bare) assert.deepEqual(one, bare[0]);
    const forOwner = await small.fine('GET', '/api/v1/access-requests', undefined, root);
    assert.match(forOwner.text, /secret-plan/);
    assert.doesNotMatch(forOwner.text, /no-such/);
  });

  it('about rights names those on all of a kind as well', async () => {
    const { grants } = (await small.fine('GET', '/api/v1/permissions?kind=report&name=works', undefined, author))
      .body as unknown as { grants: { thing: { name: string }; holder: { name: string } }[] };
    const holders = grants.filter((one) => one.thing.name === '*').map((one) => one.holder.name);
    assert.deepEqual(holders.sort(), [author, owner].sort());
  });

  it('names every mistake of a burst at once', async () => {
    const csv = 'quay,email\nQ1,a@works.example\n';
    assert.equal((await small.house.call('PUT', '/api/v1/lists/quays?id=quay', { as: author, csv })).status, 200);
    const refused = await call('PUT', '/api/v1/bursts', author, {
      format: 'underbell-burst/1',
      name: 'wrong',
      title: 'Wrong',
      report: 'works',
      list: 'quays',
      bind: { leest: 'quai' },
      formats: ['csv'],
      fileName: '{burst}-{qay}',
      destination: { kind: 'library', to: 'nowhere', folder: '{mnth}' },
    });
    assert.equal(refused.body.code, 'BURST_INVALID', refused.text);
    const places = refused.body.problems!.map((one) => one.at).sort();
    assert.deepEqual(
      places,
      ['/bind/leest', '/bind/leest', '/destination/folder', '/destination/to', '/fileName'].sort(),
      refused.text,
    );
  });

  it('refuses a format that shows no number as anybody means it', async () => {
    for (const format of ['0,0,,', '#.#.#', '%%', '0.0 % %', '12', ',,,', '0.00000000000', '#,#', '# 0 0']) {
      const bad = report({ measures: { rows: { label: 'Rows', expression: 'count()', dataset: 'works', format } } });
      const answer = await call('POST', '/api/v1/reports/check', author, bad);
      assert.match(answer.text, /number pattern/, format);
      const note = await call('PUT', '/api/v1/datasets/works/columns', owner, { columns: [{ name: 'cost', format }] });
      assert.equal(note.status, 400, format);
    }
    for (const format of ['#,##0', '0.0 %', '#,##0.00', '0', '000', '#,##0.0##', 'kr #,##0', '0.0‰', '#', '#.##'])
      assert.equal(
        (await call('PUT', '/api/v1/datasets/works/columns', owner, { columns: [{ name: 'cost', format }] })).status,
        200,
        format,
      );
  });

  it('says one wrong dataset once', async () => {
    const wrong = report({ datasets: { worsk: {} } });
    const answer = await call('POST', '/api/v1/reports/check', author, wrong);
    const problems = (answer.body as unknown as { problems?: { at: string }[] }).problems ?? [];
    assert.deepEqual(problems.map((one) => one.at).sort(), ['/datasets/worsk', '/measures/rows/dataset'], answer.text);
  });
});
