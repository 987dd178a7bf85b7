import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { AppPage, SidePanel } from '@underbell/core/app';
import { addPerson } from '../../src/access/index.ts';
import { author, owner, reader, root } from '../smallHouse.ts';
import { AppHouse } from './appHouse.ts';

const count = { report: 'works', page: 'all', figure: 'count' };

describe('what people have of their own in an app', () => {
  let apps: AppHouse;
  before(async () => {
    apps = await AppHouse.open();
    await apps.turn('enable');
    await apps.small.fine('PUT', '/api/v1/allowed-frame-origins', { origins: ['https://works.example'] }, root);
    const chart = { name: 'berths', title: 'Berths', address: 'https://works.example/charts/berths' };
    await apps.small.fine(
      'PUT',
      '/api/v1/apps/works',
      { title: 'Harbour works', origins: ['https://works.example'], charts: [chart] },
      root,
    );
  });
  after(() => apps.close());
  const panel = async (as: string, wish?: object): Promise<SidePanel> =>
    (await apps.small.fine(wish ? 'PUT' : 'GET', '/api/v1/apps/works/panel', wish, as)).body as unknown as SidePanel;
  const page = (as: string, name: string, items: object[], change: object = {}) =>
    apps.small.house.call('PUT', `/api/v1/apps/works/pages/${name}`, { as, body: { title: 'Mine', items, ...change } });
  const pages = async (as: string) =>
    ((await apps.small.fine('GET', '/api/v1/apps/works/pages', undefined, as)).body as unknown as { pages: AppPage[] })
      .pages;

  it('is a side panel of their own choice and order, which is remembered and nobody else’s', async () => {
    assert.deepEqual((await panel(reader)).chosen, ['quay-count', 'quay-kinds', 'quay-record']);
    assert.deepEqual((await panel(reader, { chosen: ['quay-record', 'quay-count'] })).chosen, [
      'quay-record',
      'quay-count',
    ]);
    assert.equal((await panel(reader, { shown: 'quay-count' })).shown, 'quay-count');
    assert.deepEqual((await panel(reader)).chosen, ['quay-record', 'quay-count']);
    assert.deepEqual((await panel(author)).chosen, ['quay-count', 'quay-kinds', 'quay-record']);
    const strange = await apps.small.house.call('PUT', '/api/v1/apps/works/panel', {
      as: reader,
      body: { chosen: ['quay-cuont'] },
    });
    assert.deepEqual([strange.body.code, strange.body['nearest']], ['NOT_FOUND', ['quay-count']]);
  });

  it('holds nothing that they may see no more, and follows what is renamed', async () => {
    await apps.small.fine('PUT', '/api/v1/placements/quay-count/name', { name: 'quay-number' }, owner);
    assert.deepEqual((await panel(reader)).chosen, ['quay-record', 'quay-number']);
    assert.equal((await panel(reader)).shown, 'quay-number');
    await apps.small.fine('POST', '/api/v1/placements/quay-number/suspend', undefined, owner);
    assert.deepEqual((await panel(reader)).chosen, ['quay-record']);
    await apps.small.fine('POST', '/api/v1/placements/quay-number/resume', undefined, owner);
  });

  it('is a page of figures and of the app’s own charts, which anybody who uses the app may make', async () => {
    const made = await page(reader, 'mine', [count, { chart: 'berths' }]);
    assert.equal(made.status, 200, made.text);
    assert.deepEqual(
      (await pages(reader)).map((one) => one.items),
      [[count, { chart: 'berths' }]],
    );
    const shown = await apps.small.fine('GET', '/api/v1/boards/mine/view', undefined, reader);
    assert.match(shown.text, /works\.example\/charts\/berths/);
    assert.match(shown.text, /"from":\{"report":"works","page":"all","figure":"count"\}/);
    // The right to make boards at large did not come with it.
    const board = {
      format: 'underbell-board/1',
      name: 'else',
      title: 'Else',
      figures: [{ ...count, name: 'a', at: { column: 1, row: 1, width: 3, height: 2 } }],
    };
    const other = await apps.small.house.call('PUT', '/api/v1/boards', { as: reader, body: { definition: board } });
    assert.equal(other.body.code, 'NOT_ALLOWED');
  });

  it('takes no figure that they do not see, no strange chart, and nobody else’s name', async () => {
    const hidden = await page(reader, 'more', [{ report: 'secret', page: 'all', figure: 'count' }]);
    assert.equal(hidden.body.code, 'BOARD_INVALID');
    const strange = await page(reader, 'more', [{ chart: 'breths' }]);
    assert.deepEqual([strange.body.code, strange.body['nearest']], ['INPUT_INVALID', ['berths']]);
    assert.equal((await page(author, 'mine', [count])).body.code, 'NOT_FOUND');
    await apps.small.fine(
      'PUT',
      '/api/v1/boards',
      {
        definition: {
          format: 'underbell-board/1',
          name: 'boards-own',
          title: 'B',
          figures: [{ ...count, name: 'a', at: { column: 1, row: 1, width: 3, height: 2 } }],
        },
      },
      owner,
    );
    assert.equal((await page(reader, 'boards-own', [count])).body.code, 'NAME_TAKEN');
    const both = await Promise.all([page(reader, 'race', [count]), page(author, 'race', [count])]);
    assert.equal(both.filter((one) => one.status === 200).length, 1, both.map((one) => one.text).join('\n'));
  });

  it('is shared with chosen rights: who sees no figure of it is told of, and sees none', async () => {
    await apps.small.fine(
      'PUT',
      '/api/v1/permissions',
      { holder: { kind: 'person', name: author }, thing: { kind: 'app', name: 'works' }, level: 'view' },
      root,
    );
    const share = (as: string, body: object) =>
      apps.small.house.call('POST', '/api/v1/apps/works/pages/mine/share', { as, body });
    assert.equal((await share(author, { person: author })).body.code, 'NOT_FOUND');
    const shared = await share(reader, { person: author, level: 'view' });
    assert.deepEqual(shared.body, { person: author, level: 'view', unseen: [] });
    // Who has which rights on a report is told to those who may edit it alone.
    await page(owner, 'theirs', [count]);
    const grant = { holder: { kind: 'person', name: owner }, thing: { kind: 'app', name: 'works' }, level: 'edit' };
    await apps.small.fine('PUT', '/api/v1/permissions', grant, root);
    const nobody = 'nell@skerrow.example';
    const { app } = apps.small.house;
    await app.records.transaction(() => addPerson(app, { email: nobody, name: 'Nell', passwordHash: null }));
    assert.deepEqual((await share(reader, { person: nobody })).body['unseen'], []);
    const byOwner = await apps.small.house.call('POST', '/api/v1/apps/works/pages/theirs/share', {
      as: owner,
      body: { person: nobody },
    });
    assert.deepEqual(byOwner.body['unseen'], ['Count'], byOwner.text);
    assert.deepEqual(
      (await pages(author)).map((one) => [one.name, one.right]).find(([name]) => name === 'mine'),
      ['mine', 'view'],
    );
    assert.equal((await page(author, 'mine', [count])).body.code, 'NOT_ALLOWED');
    assert.equal((await share(author, { person: owner, level: 'view' })).body.code, 'NOT_ALLOWED');
    assert.equal((await share(reader, { person: 'nobody@else.example' })).status >= 400, true);
  });

  it('is told apart when two change it, and is not reached while the app is off', async () => {
    const [mine] = (await pages(reader)).filter((one) => one.name === 'mine');
    const both = await Promise.all([1, 2].map(() => page(reader, 'mine', [count], { version: mine!.version })));
    assert.deepEqual(both.map((one) => one.status).sort(), [200, 409]);
    await apps.turn('disable');
    assert.equal((await page(reader, 'mine', [count])).body.code, 'APP_DISABLED');
    assert.equal(
      (await apps.small.house.call('GET', '/api/v1/apps/works/pages', { as: reader })).body.code,
      'APP_DISABLED',
    );
    await apps.turn('enable');
  });
});
