import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { startWorker } from '../../src/server.ts';
import { author, owner, reader, root, SmallHouse } from '../smallHouse.ts';

describe('what is taken away', () => {
  let small: SmallHouse;
  const definition = {
    format: 'underbell-burst/1',
    name: 'weekly',
    title: 'Weekly',
    report: 'works',
    list: 'quays',
    where: { works: "quay = recipient('quay')" },
    period: { unit: 'run' },
    formats: ['csv'],
    fileName: '{burst}-{quay}',
    destination: { kind: 'mail', subject: 'x', message: 'y' },
    schedule: { rule: 'FREQ=DAILY;BYHOUR=6;BYMINUTE=0', start: '2026-01-01T06:00', timeZone: 'UTC' },
  };
  before(async () => {
    small = await SmallHouse.open();
    small.house.worker = startWorker(small.house.app);
    const csv = 'quay,email\nQ1,a@works.example\n';
    await small.house.call('PUT', '/api/v1/lists/quays?id=quay', { as: author, csv });
    await small.fine('PUT', '/api/v1/bursts', definition, author);
  });
  after(() => small.close());
  const remove = (path: string, as: string) => small.house.call('DELETE', `/api/v1/${path}`, { as });
  const codeOf = async (path: string, as: string) => (await remove(path, as)).body.code;

  it('goes only by whoever owns it, and only when nothing needs it', async () => {
    assert.equal(await codeOf('lists/quays', reader), 'NOT_FOUND');
    const used = await remove('lists/quays', author);
    assert.deepEqual([used.status, used.body.code, used.body.problems?.[0]?.at], [409, 'IN_USE', 'burst weekly']);
    // Whoever owns the list and sees no burst hears that something needs it, not what.
    const grant = { holder: { kind: 'person', name: reader }, thing: { kind: 'list', name: 'quays' }, level: 'own' };
    await small.fine('PUT', '/api/v1/permissions', grant, root);
    const blind = await remove('lists/quays', reader);
    assert.equal(blind.body.code, 'IN_USE');
    assert.doesNotMatch(blind.text, /weekly/);
    for (const path of [
      'lists/nothing',
      'bursts/nothing',
      'sources/nothing',
      'workbook-templates/nothing',
      'folders/nothing',
      'placements/nothing',
    ])
      assert.equal(await codeOf(path, root), 'NOT_FOUND', path);
  });

  it('takes a folder only when it is empty, and the rights on it along', async () => {
    await small.fine('PUT', '/api/v1/folders/shelf', { title: 'Shelf' }, root);
    await small.fine('PUT', '/api/v1/folders/inner', { title: 'Inner', parentName: 'shelf' }, root);
    assert.equal(await codeOf('folders/shelf', root), 'IN_USE');
    const grant = { holder: { kind: 'person', name: reader }, thing: { kind: 'folder', name: 'inner' }, level: 'view' };
    await small.fine('PUT', '/api/v1/permissions', grant, root);
    assert.equal((await remove('folders/inner', root)).status, 204);
    assert.equal((await remove('folders/shelf', root)).status, 204);
    const [left] = await small.house.app.records.query(`SELECT 1 FROM grants WHERE thing_name = 'inner'`);
    assert.deepEqual(left, []);
  });

  it('closes a placement at once', async () => {
    await small.fine('PUT', '/api/v1/placements/wall', { kind: 'portal', title: 'Wall', report: 'works' }, author);
    assert.equal((await small.house.call('GET', '/api/v1/placements/wall/view', { as: author })).status, 200);
    assert.equal((await remove('placements/wall', author)).status, 204);
    assert.equal((await small.house.call('GET', '/api/v1/placements/wall/view', { as: author })).status, 404);
  });

  it('leaves the ledger of a burst, starts it no more, and its name to those who had it', async () => {
    const started = await small.fine('POST', '/api/v1/bursts/weekly/runs', {}, author);
    const { id } = started.body as unknown as { id: number };
    await small.house.finished(id, author);
    const pause = (isPaused: boolean) =>
      small.house.call('PUT', '/api/v1/bursts/weekly/schedule', { as: author, body: { isPaused } });
    assert.match((await pause(true)).text, /schedule paused/);
    const [[paused]] = (await small.house.app.records.query(`SELECT next_run_at FROM bursts`)) as [
      [{ next_run_at: null }],
      unknown,
    ];
    assert.equal(paused.next_run_at, null);
    assert.match((await pause(false)).text, /every day at 06:00/);
    assert.equal(
      (await small.house.call('PUT', '/api/v1/bursts/weekly/schedule', { as: reader, body: { isPaused: true } }))
        .status,
      404,
    );

    assert.equal((await remove('bursts/weekly', author)).status, 204);
    assert.equal((await small.house.call('GET', '/api/v1/bursts/weekly', { as: author })).status, 404);
    assert.equal(await codeOf('bursts/weekly', author), 'NOT_FOUND');
    const ledger = await small.house.call('GET', `/api/v1/runs/${id}`, { as: author });
    assert.match(ledger.text, /"recipient":"Q1"/);
    // Somebody who may make bursts, but had no right on this one, does not come by its ledger under its name.
    const taken = await small.house.call('PUT', '/api/v1/bursts', { as: reader, body: definition });
    assert.ok([403, 404].includes(taken.status), taken.text);
    assert.equal((await small.house.call('PUT', '/api/v1/bursts', { as: author, body: definition })).status, 200);
    assert.equal((await remove('bursts/weekly', owner)).status, 204);
    assert.equal((await remove('lists/quays', author)).status, 204);
  });

  it('is gone once, however many take it at the same time', async () => {
    await small.fine('PUT', '/api/v1/placements/wall', { kind: 'portal', title: 'Wall', report: 'works' }, author);
    const answers = await Promise.all(Array.from({ length: 5 }, () => remove('placements/wall', author)));
    assert.deepEqual(answers.map((one) => one.status).sort(), [204, 404, 404, 404, 404]);
  });
});
