import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, report, root, SmallHouse } from '../smallHouse.ts';

describe('whoever only reads', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
  });
  after(() => small.close());
  const get = (path: string, as: string) => small.house.call('GET', `/api/v1/${path}`, { as });

  it('is told of no condition of a report, and its author of all', async () => {
    const secret = "kind <> 'dredging'";
    const [page] = report().pages;
    const [count, ...others] = page!.figures;
    const figures = [{ ...count, where: secret }, ...others];
    const definition = report({ name: 'works', where: secret, pages: [{ ...page, where: secret, figures }] });
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, author);
    assert.equal((await get('reports/works', author)).text.split('dredging').length, 4);
    const told = await get('reports/works', reader);
    assert.equal(told.status, 200);
    assert.ok(!told.text.includes('dredging'), told.text);
    assert.match(told.text, /"measures"/);
  });

  it('is told of no column that is hidden from them, by name, order or profile', async () => {
    await small.mask('no-cost', 'Readers', { kind: 'hide', column: 'cost' });
    for (const path of ['datasets/works', 'datasets/works/profile', 'datasets/works/preview']) {
      const told = await get(path, reader);
      assert.ok(!/"cost"/.test(told.text), `${path}: ${told.text.slice(0, 300)}`);
    }
    assert.match((await get('datasets/works', owner)).text, /"cost"/);
  });

  it('is told of an app’s places that show what is theirs, and nothing of companies', async () => {
    await small.fine('POST', '/api/v1/reports', { definition: report({ name: 'other' }), notes: '' }, author);
    for (const [name, of] of [
      ['beside', 'works'],
      ['elsewhere', 'other'],
    ] as const)
      await small.fine('PUT', `/api/v1/placements/${name}`, { kind: 'app', title: name, report: of }, owner);
    const app = { title: 'Works', origins: [], company: { from: 'person', name: 'quay' }, charts: [], client: null };
    await small.fine('PUT', '/api/v1/apps/works', app, root);
    for (const name of ['beside', 'elsewhere'])
      await small.fine('PUT', `/api/v1/apps/works/placements/${name}`, {}, root);
    await small.fine(
      'PUT',
      '/api/v1/permissions',
      { holder: { kind: 'person', name: reader }, thing: { kind: 'app', name: 'works' }, level: 'view' },
      root,
    );
    for (const path of ['apps', 'apps/works']) {
      const told = await get(path, reader);
      assert.equal(told.status, 200, told.text);
      assert.match(told.text, /"placement":"beside"/);
      assert.doesNotMatch(told.text, /elsewhere|"from":"person"/, path);
    }
    assert.match((await get('apps/works', root)).text, /elsewhere/);
  });

  it('finds and refuses no device that waits, whatever code they know', async () => {
    const asked = await small.house.call('POST', '/oauth/device_authorization', {
      form: new URLSearchParams({ client_id: 'screen' }),
    });
    const { user_code: code } = asked.body as unknown as { user_code: string };
    assert.ok(code, asked.text);
    for (const method of ['GET', 'DELETE'])
      assert.equal(
        (await small.house.call(method, `/api/v1/pairing-codes/${code}`, { as: reader })).body.code,
        'NOT_FOUND',
        method,
      );
    assert.equal((await get(`pairing-codes/${code}`, root)).status, 200, 'it still waits');
  });
});
