import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, root, rowsOf } from '../smallHouse.ts';
import { AppHouse } from './appHouse.ts';

describe('a business app', () => {
  let apps: AppHouse;
  before(async () => (apps = await AppHouse.open()));
  after(() => apps.close());

  it('shows nothing until an administrator switches it on, to nobody and by no token', async () => {
    assert.equal((await apps.look({ as: owner }, '?record=quay:Q1')).body.code, 'APP_DISABLED');
    assert.equal((await apps.ask({ quay: 'Q1' })).body.code, 'APP_DISABLED');
    for (const as of [owner, author, reader])
      assert.equal((await apps.turn('enable', as)).body.code, 'NOT_ALLOWED', as);
    // Whom it is not for hears neither of the app nor of what stands in it.
    assert.equal(
      (await apps.small.house.call('GET', '/api/v1/apps/works/panel', { as: root })).body.code,
      'APP_DISABLED',
    );
    assert.equal((await apps.turn('enable')).status, 200);
    const { isOn, switchedBy, switchedAt } = await apps.shown();
    assert.deepEqual([isOn, switchedBy], [true, root]);
    assert.ok(switchedAt);
    assert.equal((await apps.look({ as: owner }, '?record=quay:Q1')).status, 200);
  });

  it('is off at once everywhere: for people, for tokens that were handed out, and for streams that are open', async () => {
    const token = await apps.tokenFor({ quay: 'Q1' });
    assert.equal((await apps.look({ token })).status, 200);
    const heads = { Authorization: `Bearer ${token}` };
    const stream = await fetch(`${apps.small.house.url}/api/v1/placements/quay-record/events`, { headers: heads });
    assert.equal(stream.status, 200);
    const ended = stream.text();
    assert.equal((await apps.turn('disable')).status, 200);
    await ended;
    assert.equal((await apps.look({ token })).body.code, 'APP_DISABLED');
    assert.equal((await apps.look({ as: reader }, '?record=quay:Q1')).body.code, 'APP_DISABLED');
    assert.equal((await apps.ask({ quay: 'Q1' })).body.code, 'APP_DISABLED');
    // Neither does its program's token open what stands elsewhere.
    await apps.small.fine(
      'PUT',
      '/api/v1/placements/elsewhere',
      { kind: 'portal', title: 'Elsewhere', report: 'works' },
      owner,
    );
    assert.equal((await apps.look({ token }, '', 'elsewhere')).body.code, 'APP_DISABLED');
    assert.equal((await apps.small.house.call('GET', '/api/v1/placements/elsewhere/view', { as: owner })).status, 200);
    // What is taken back while it is off stays so.
    const revoked = await apps.tell('revoke', token);
    assert.equal(revoked.status, 200, revoked.text);
    assert.deepEqual((await apps.tell('introspect', token)).body, { active: false });
    await apps.turn('enable');
    assert.equal((await apps.look({ token })).body.code, 'TOKEN_REVOKED');
    // Who switched it stays who did, however often it is asked for.
    const { switchedAt } = await apps.shown();
    await apps.turn('enable');
    assert.equal((await apps.shown()).switchedAt, switchedAt);
    const { text } = await apps.small.fine('GET', '/api/v1/audit-log?what=app disabled', undefined, root);
    assert.match(text, /app works/);
  });

  it('is not told of to whom it is not given, and neither is what stands in it', async () => {
    const grant = { holder: { kind: 'person', name: reader }, thing: { kind: 'app', name: 'works' } };
    const { grants } = (await apps.small.fine('GET', '/api/v1/permissions?kind=app&name=works', undefined, root))
      .body as unknown as {
      grants: { id: number; holder: { name?: string } }[];
    };
    const id = grants.find((one) => one.holder.name === reader)!.id;
    await apps.small.fine('DELETE', `/api/v1/permissions/${id}`, undefined, root);
    for (const path of ['', '/panel', '/pages'])
      assert.equal(
        (await apps.small.house.call('GET', `/api/v1/apps/works${path}`, { as: reader })).body.code,
        'NOT_FOUND',
        path,
      );
    const listed = await apps.small.fine('GET', '/api/v1/apps', undefined, reader);
    assert.deepEqual(listed.body, { apps: [] });
    await apps.small.fine('PUT', '/api/v1/permissions', { ...grant, level: 'view' }, root);
  });

  it('is among what was handed out while it is on, and ended there', async () => {
    const open = async () =>
      JSON.stringify((await apps.small.fine('GET', '/api/v1/active-access?kind=app', undefined, root)).body);
    assert.match(await open(), /Harbour works/);
    await apps.small.fine('POST', '/api/v1/active-access/revoke', { doors: [{ kind: 'app', id: 'works' }] }, root);
    assert.equal((await apps.shown()).isOn, false);
    assert.ok(!(await open()).includes('Harbour works'));
    await apps.turn('enable');
  });

  it('is not taken away while it keeps something closed', async () => {
    await apps.turn('disable');
    const gone = () => apps.small.house.call('DELETE', '/api/v1/apps/works', { as: root });
    assert.equal((await gone()).body.code, 'IN_USE');
    assert.equal((await apps.look({ as: owner }, '?record=quay:Q1')).body.code, 'APP_DISABLED');
    await apps.turn('enable');
    assert.equal((await apps.small.house.call('DELETE', '/api/v1/apps/works', { as: owner })).body.code, 'NOT_ALLOWED');
  });

  it('takes wishes of administrators alone, and no program or chart that is not its own', async () => {
    const save = (as: string, change: object) =>
      apps.small.house.call('PUT', '/api/v1/apps/other', { as, body: { title: 'Other', ...change } });
    assert.equal((await save(owner, {})).body.code, 'NOT_ALLOWED');
    assert.equal((await save(root, { client: 'works-app' })).body.code, 'IN_USE');
    assert.equal((await save(root, { client: 'nobody' })).body.code, 'NOT_FOUND');
    const chart = { name: 'own', title: 'Own', address: 'https://works.example/charts/own' };
    assert.equal((await save(root, { charts: [chart] })).body.code, 'INPUT_INVALID');
    for (const address of ['javascript:alert(1)', 'data:text/html,x'])
      assert.equal((await save(root, { charts: [{ ...chart, address }] })).body.code, 'INPUT_INVALID', address);
    assert.equal((await apps.small.house.call('GET', '/api/v1/apps/other', { as: root })).status, 404);
    assert.equal((await save(root, {})).status, 200);
    // A placement stands in one app alone.
    const twice = await apps.small.house.call('PUT', '/api/v1/apps/other/placements/quay-record', {
      as: root,
      body: {},
    });
    assert.equal(twice.body.code, 'IN_USE');
    await apps.small.fine('DELETE', '/api/v1/apps/other', undefined, root);
  });

  it('shows what stands in it under the own rows of whoever looks', async () => {
    const mine = await apps.look({ as: reader }, '?record=quay:Q1');
    assert.equal(rowsOf(mine, 'rows').length, 10);
    const others = await apps.look({ as: reader }, '?record=quay:Q2');
    assert.deepEqual(rowsOf(others, 'rows'), []);
  });
});
