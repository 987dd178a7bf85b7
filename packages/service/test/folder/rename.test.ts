import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { giveName, lockResource } from '../../src/platform/index.ts';
import { startWorker } from '../../src/server.ts';
import { until } from '../house.ts';
import { author, owner, reader, report, root, rowsOf, SmallHouse } from '../smallHouse.ts';

const placement = {
  kind: 'portal',
  title: 'Works of a quay',
  report: 'works',
  where: { works: "kind = 'dredging'" },
  origins: [],
};
const board = {
  format: 'underbell-board/1',
  name: 'day',
  title: 'Day',
  figures: [
    {
      name: 'count',
      report: 'works',
      page: 'all',
      figure: 'count',
      where: { works: "kind = 'lights'" },
      at: { column: 1, row: 1, width: 3, height: 2 },
    },
  ],
};
const burst = {
  format: 'underbell-burst/1',
  name: 'weekly',
  title: 'Weekly',
  report: 'works',
  list: 'quays',
  where: { works: "quay = recipient('quay')" },
  rows: { dataset: 'works' },
  period: { unit: 'run' },
  formats: ['csv'],
  fileName: '{burst}-{quay}',
  destination: { kind: 'mail', subject: 'x', message: 'y' },
};

describe('a thing that is given another name', () => {
  let small: SmallHouse;
  let token = '';
  before(async () => {
    small = await SmallHouse.open();
    small.house.worker = startWorker(small.house.app);
    await small.fine('PUT', '/api/v1/placements/portal-works', placement, author);
    await small.fine('PUT', '/api/v1/boards', { definition: board }, author);
    await small.house.call('PUT', '/api/v1/lists/quays?id=quay', {
      as: author,
      csv: 'quay,email\nQ1,a@works.example\n',
    });
    await small.fine('PUT', '/api/v1/bursts', burst, author);
    await small.fine('PUT', '/api/v1/favourites/report/works', undefined, reader);
    const program = {
      id: 'portal',
      title: 'Portal',
      reports: ['works'],
      actions: ['view'],
    };
    await small.fine('POST', '/api/v1/clients', program, owner);
    const where = { works: "quay = 'Q2'" };
    const body = { client: 'portal', report: 'works', where, actions: ['view'], lifetimeSeconds: 600 };
    token = (await small.fine('POST', '/api/v1/tokens', body, owner)).body['access_token'] as unknown as string;
  });
  after(() => small.close());
  const name = (path: string, to: string, as: string) =>
    small.house.call('PUT', `/api/v1/${path}/name`, { as, body: { name: to } });
  const get = (path: string, as: string) => small.house.call('GET', `/api/v1/${path}`, { as });

  it('is followed by everything that names it: places, boards, bursts, rights, favourites, tokens, rules', async () => {
    const seen = rowsOf(await small.view(reader), 'rows');
    const placed = await small.house.call('GET', '/api/v1/placements/portal-works/view', { token });
    assert.equal(placed.status, 200, placed.text);
    assert.equal((await name('reports/works', 'harbour-works', author)).status, 200);
    assert.equal((await name('datasets/works', 'jobs', owner)).status, 200);

    const now = await get('reports/harbour-works/view', reader);
    assert.deepEqual(rowsOf(now, 'rows'), seen);
    assert.ok(seen.length > 0 && seen.every((row) => row[1] === 'Q1'), 'the row rule holds under the new name');
    const again = await small.house.call('GET', '/api/v1/placements/portal-works/view', { token });
    assert.deepEqual(rowsOf(again, 'rows'), rowsOf(placed, 'rows'), 'a token that lives opens what it opened');
    const shown = (await get('placements/portal-works', author)).body as unknown as { report: string; where: object };
    assert.deepEqual([shown.report, shown.where], ['harbour-works', { jobs: "kind = 'dredging'" }]);
    const onBoard = (await get('boards/day/view', author)).text;
    assert.doesNotMatch(onBoard, /NOT_FOUND|no access/);
    const { definition } = (await get('bursts/weekly', author)).body as unknown as { definition: typeof burst };
    assert.deepEqual(
      [definition.report, definition.where, definition.rows],
      ['harbour-works', { jobs: "quay = recipient('quay')" }, { dataset: 'jobs' }],
    );
    const atHand = (await get('favourites', reader)).body as unknown as { favourites: { name: string }[] };
    assert.deepEqual(
      atHand.favourites.map((one) => one.name),
      ['harbour-works'],
    );
    const run = await small.fine('POST', '/api/v1/bursts/weekly/runs', {}, author);
    const ended = await small.house.finished((run.body as unknown as { id: number }).id, author);
    assert.deepEqual([ended.state, ended.counts.sent], ['done', 1]);
    const audit = await get('audit-log/verify', root);
    assert.equal((audit.body as unknown as { brokenAt?: number }).brokenAt, undefined);
  });

  it('is reached by its old name for looking, and by no old name for changing', async () => {
    assert.equal((await get('reports/works/view', reader)).status, 200);
    assert.equal((await get('reports/works', author)).body['name'], 'harbour-works');
    const rows = await small.house.call('POST', '/api/v1/reports/works/rows', {
      as: reader,
      body: { figure: 'rows', count: 5 },
    });
    assert.equal(rows.status, 200, rows.text);
    for (const [method, path, body] of [
      ['PUT', '/api/v1/datasets/works/row-rules/other', { appliesTo: { kind: 'everyone' }, where: "quay = 'Q9'" }],
      ['POST', '/api/v1/reports/works/rollback', { edition: 1 }],
      ['PUT', '/api/v1/reports/works/name', { name: 'yet-another' }],
    ] as const) {
      const answer = await small.house.call(method, path, { as: owner, body });
      assert.deepEqual([answer.status, answer.body.code], [409, 'NAME_TAKEN'], `${method} ${path}`);
    }
    assert.equal((await small.house.call('DELETE', '/api/v1/reports/works', { as: owner })).body.code, 'NOT_FOUND');
    assert.equal((await get('reports/harbour-works', reader)).status, 200);
  });

  it('tells nobody its new name who may not see it', async () => {
    const measures = {
      rows: { label: 'Rows', expression: 'count()' },
      cost: { label: 'Cost', expression: 'sum(cost)' },
    };
    const { pages } = report({}, { dataset: 'jobs' });
    const definition = report({
      name: 'secret',
      datasets: { jobs: {} },
      measures,
      pages: [{ ...pages[0], figures: pages[0]!.figures.slice(0, 1) }],
    });
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, author);
    assert.equal((await name('reports/secret', 'merger-figures', author)).status, 200);
    for (const path of ['reports/secret', 'reports/secret/view']) {
      const blind = await get(path, reader);
      const never = await get(path.replace('secret', 'nothing'), reader);
      assert.doesNotMatch(blind.text, /merger/);
      assert.deepEqual(blind.text.replaceAll('secret', 'nothing'), never.text, path);
    }
    // Nor does what would change something tell that there ever was such a thing.
    for (const [method, end, body] of [
      ['PUT', '/name', { name: 'other' }],
      ['POST', '/roll-back', { edition: 1 }],
      ['POST', '/export', { format: 'csv', figure: 'count' }],
      ['DELETE', '', undefined],
    ] as const) {
      const ask = async (one: string) =>
        (await small.house.call(method, `/api/v1/reports/${one}${end}`, { as: reader, ...(body ? { body } : {}) }))
          .text;
      assert.equal((await ask('secret')).replaceAll('secret', 'nothing'), await ask('nothing'), `${method} ${end}`);
    }
    const names = (await get('redirects', reader)).body as unknown as { names: unknown[] };
    assert.deepEqual(names.names, []);
    const drop = await small.house.call('DELETE', '/api/v1/redirects/report/secret', { as: reader });
    assert.equal(drop.body.code, 'NOT_FOUND');
  });

  it('is renamed by whoever owns it alone, to a name that is free', async () => {
    assert.equal((await name('reports/harbour-works', 'mine', reader)).body.code, 'NOT_ALLOWED');
    assert.equal((await name('reports/nothing', 'mine', reader)).body.code, 'NOT_FOUND');
    assert.equal((await name('reports/harbour-works', 'merger-figures', author)).body.code, 'NAME_TAKEN');
    assert.equal((await name('reports/harbour-works', 'Not A Name', author)).status, 400);
    // What lies in the bin keeps its name.
    assert.equal((await small.house.call('DELETE', '/api/v1/reports/merger-figures', { as: author })).status, 200);
    assert.equal((await name('reports/harbour-works', 'merger-figures', author)).body.code, 'NAME_TAKEN');
    assert.equal((await name('destinations/mail', 'letters', root)).body.code, 'IN_USE');
    assert.equal((await name('clients/portal', 'other', root)).status, 404);
  });

  it('gives a name to one of two who want it at once, and both sides of a swap theirs', async () => {
    for (const one of ['red', 'blue']) await small.fine('PUT', `/api/v1/folders/${one}`, { title: one }, root);
    const both = await Promise.all(['red', 'blue'].map((one) => name(`folders/${one}`, 'green', root)));
    assert.deepEqual(both.map((one) => one.status).sort(), [200, 409]);
    const other = both[0]!.status === 200 ? 'blue' : 'red';
    await Promise.all([name('folders/green', 'amber', root), name(`folders/${other}`, 'violet', root)]);
    const { folders } = (await get('folders', root)).body as unknown as { folders: { name: string }[] };
    assert.deepEqual(folders.map((one) => one.name).sort(), ['amber', 'violet']);
  });

  it('lets another thing have a former name once that is let go, and leads to neither by mistake', async () => {
    const csv = 'quay,email\nQ2,b@works.example\n';
    assert.equal((await name('lists/quays', 'harbours', author)).status, 200);
    const load = () => small.house.call('PUT', '/api/v1/lists/quays?id=quay', { as: author, csv });
    assert.equal((await load()).body.code, 'NAME_TAKEN');
    const { names } = (await get('redirects', author)).body as unknown as {
      names: { kind: string; name: string }[];
    };
    assert.ok(names.some((one) => one.kind === 'list' && one.name === 'quays'));
    const drop = await small.house.call('DELETE', '/api/v1/redirects/list/quays', { as: author });
    assert.equal(drop.status, 204);
    assert.ok((await load()).status < 300);
    const { definition } = (await get('bursts/weekly', author)).body as unknown as { definition: typeof burst };
    assert.equal(definition.list, 'harbours');
    const recipients = async (list: string) =>
      ((await get(`lists/${list}`, author)).body as unknown as { recipients: { id: string }[] }).recipients.length;
    assert.deepEqual([await recipients('quays'), await recipients('harbours')], [1, 1]);
  });

  it('keeps its name while a run is at work with it', async () => {
    const { records } = small.house.app;
    await records.query(`UPDATE runs SET state = 'running'`);
    const busy = await name('reports/harbour-works', 'later', author);
    assert.deepEqual([busy.status, busy.body.code], [409, 'IN_USE']);
    assert.equal((await name('datasets/jobs', 'later', owner)).body.code, 'IN_USE');
    await records.query(`UPDATE runs SET state = 'done'`);
    assert.equal((await name('reports/harbour-works', 'later', author)).status, 200);
    // Its first name leads on, also over a second renaming.
    assert.equal((await get('reports/works/view', reader)).status, 200);
  });

  it('names a group anew in rights, rules, masks and lists', async () => {
    await small.mask('no-cost', 'Readers', { kind: 'hide', column: 'cost' }).catch(() => undefined);
    const appliesTo = { kind: 'group', name: 'Readers' };
    await small.fine(
      'PUT',
      '/api/v1/datasets/jobs/masks/no-cost',
      { appliesTo, effect: { kind: 'hide', column: 'cost' } },
      owner,
    );
    assert.equal((await name('groups/Readers', 'Lookers', owner)).body.code, 'NOT_ALLOWED');
    assert.equal((await name('groups/Readers', 'Makers', root)).body.code, 'NAME_TAKEN');
    assert.equal((await name('groups/Readers', 'Lookers', root)).status, 200);
    const { masks } = (await get('datasets/jobs/masks', owner)).body as unknown as {
      masks: { appliesTo: { name: string } }[];
    };
    assert.deepEqual(
      masks.map((one) => one.appliesTo.name),
      ['Lookers'],
    );
    const seen = (await get('reports/later/view', reader)).body as unknown as {
      results: { rows: { columns: { name: string }[] }; count: { refused?: { code: string } } };
    };
    // The mask holds for its members.
    assert.deepEqual(
      [seen.results.rows.columns.some((one) => one.name === 'cost'), seen.results.count.refused?.code],
      [false, 'COLUMN_HIDDEN'],
    );
  });

  it('leads whoever may know of it from the former name of a group or an attribute, and nobody else', async () => {
    assert.equal((await get('groups/Readers', owner)).body['name'], 'Lookers');
    assert.equal((await get('groups/Readers', reader)).body.code, 'NOT_FOUND');
    const save = (as: string) =>
      small.house.call('PUT', '/api/v1/groups/Readers', { as, body: { members: [reader], owners: [] } });
    assert.equal((await save(root)).body.code, 'NAME_TAKEN', 'no second group by mistake');
    assert.equal((await save(reader)).body.code, 'NOT_ALLOWED', 'as for a name that never was');
    const grant = await small.house.call('PUT', '/api/v1/permissions', {
      as: owner,
      body: { holder: { kind: 'group', name: 'Readers' }, thing: { kind: 'report', name: 'later' }, level: 'view' },
    });
    assert.deepEqual([grant.body.code, grant.body['nearest']], ['NOT_FOUND', ['Lookers']]);
    const listed = async (as: string) =>
      ((await get('redirects', as)).body as unknown as { names: { kind: string; name: string }[] }).names.filter(
        (one) => one.kind === 'group',
      );
    assert.deepEqual(await listed(root), [{ kind: 'group', name: 'Readers', now: 'Lookers' }]);
    assert.deepEqual(await listed(owner), []);
    const drop = (as: string) => small.house.call('DELETE', '/api/v1/redirects/group/Readers', { as });
    assert.equal((await drop(owner)).body.code, 'NOT_FOUND');
    assert.equal((await drop(root)).status, 204);
    assert.equal((await get('groups/Readers', owner)).body.code, 'NOT_FOUND');
  });

  it('names attributes, rules and masks anew, and takes attributes away that nothing needs', async () => {
    assert.equal((await name('user-attributes/quay', 'berth', owner)).body.code, 'NOT_ALLOWED');
    assert.equal((await name('user-attributes/nothing', 'berth', root)).body.code, 'NOT_FOUND');
    assert.equal((await small.house.call('DELETE', '/api/v1/user-attributes/quay', { as: root })).body.code, 'IN_USE');
    const before = rowsOf(await get('reports/later/view', reader), 'rows').length;
    assert.equal((await name('user-attributes/quay', 'berth', root)).status, 200);
    const { rules } = (await get('datasets/jobs/row-rules', owner)).body as unknown as { rules: { where: string }[] };
    assert.equal(rules[0]!.where, "quay IN (person('berth'))");
    assert.equal(rowsOf(await get('reports/later/view', reader), 'rows').length, before, 'the rule holds as before');
    await small.fine('PUT', '/api/v1/user-attributes/spare', { label: 'Spare', type: 'text', isMany: false }, root);
    assert.equal((await small.house.call('DELETE', '/api/v1/user-attributes/spare', { as: root })).status, 204);

    assert.equal((await name('datasets/jobs/row-rules/own-quay', 'berths', reader)).body.code, 'NOT_ALLOWED');
    assert.equal((await name('datasets/jobs/row-rules/own-quay', 'berths', owner)).status, 200);
    assert.equal((await name('datasets/jobs/row-rules/own-quay', 'berths', owner)).body.code, 'NOT_FOUND');
    assert.equal((await name('datasets/jobs/masks/no-cost', 'costless', owner)).status, 200);
  });

  it('is asked for one by one: a source, a group, a person, a placement', async () => {
    assert.equal((await get('users/READER@skerrow.example', owner)).body['name'], 'Reader');
    assert.equal((await get('users/reader@skerrow.example', reader)).body.code, 'NOT_ALLOWED');
    assert.equal((await get('groups/Makers', owner)).status, 200);
    assert.equal((await get('groups/Makers', reader)).body.code, 'NOT_FOUND');
    assert.equal((await get('placements/portal-works', reader)).status, 200);
    assert.equal((await get('sources/nothing', owner)).body.code, 'NOT_FOUND');
  });

  it('is not written over by somebody who makes a thing of just that name at the same moment', async () => {
    const { app } = small.house;
    const file = { as: author, csv: 'quay,email\nQ7,first@works.example\n' };
    await small.house.call('PUT', '/api/v1/lists/early?id=quay', file);
    let writing: ReturnType<typeof small.house.call> | undefined;
    await app.records.transaction(async () => {
      await lockResource(app, 'list', 'late');
      writing = small.house.call('PUT', '/api/v1/lists/late?id=quay', {
        as: author,
        csv: 'quay,email\nQ8,second@works.example\n',
      });
      // It has looked whether there is such a list, and waits.
      await until(async () => {
        // Others' databases lie on the same server.
        const waiting = await app.lanes.readers.query(
          'SELECT FROM pg_locks WHERE NOT granted AND database = (SELECT oid FROM pg_database WHERE datname = current_database())',
        );
        return waiting.rowCount ? true : undefined;
      });
      await giveName(app, { kind: 'list', name: 'early' }, 'late');
    });
    const answer = await writing!;
    assert.deepEqual([answer.status, answer.body.code], [409, 'NAME_TAKEN']);
    const { body } = await small.house.call('GET', '/api/v1/lists/late', { as: author });
    assert.equal(
      (body as unknown as { recipients: { address: string }[] }).recipients[0]!.address,
      'first@works.example',
    );
  });
});
