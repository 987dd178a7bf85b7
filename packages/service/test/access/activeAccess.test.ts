import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { addPerson } from '../../src/access/index.ts';
import type { Answer } from '../house.ts';
import { author, owner, reader, report, root, rowsOf, SmallHouse, someWorks } from '../smallHouse.ts';

const rowsOfQuay = (quay: string) => someWorks.filter((one) => one.quay === quay).length;
const tokenIn = (answer: Answer) => (answer.body as unknown as { access_token: string }).access_token;

describe('what is handed out', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const body = { kind: 'portal', title: 'Works', report: 'works' };
    await small.fine('PUT', '/api/v1/placements/works', body, author);
  });
  after(() => small.close());

  const register = async (id: string, as: string, change: object = {}): Promise<Answer> =>
    small.house.call('PUT', `/api/v1/clients/${id}`, { as, body: { title: 'Host', reports: ['works'], ...change } });
  const mint = (as: string, details: object): Promise<Answer> =>
    small.house.call('POST', '/api/v1/tokens', { as, body: { report: 'works', ...details } });
  const ask = (id: string, secret: string, details: object) =>
    small.house.call('POST', '/oauth/token', {
      form: new URLSearchParams({
        grant_type: 'client_credentials',
        authorization_details: JSON.stringify([{ type: 'report_view', report: 'works', ...details }]),
      }),
      headers: { Authorization: `Basic ${Buffer.from(`${id}:${secret}`).toString('base64')}` },
    });
  const secretIn = (answer: Answer) => (answer.body as unknown as { secret: string }).secret;
  const countWith = async (jwt: string): Promise<number> => {
    const answer = await small.house.call('GET', '/api/v1/placements/works/view', { token: jwt });
    assert.equal(answer.status, 200, answer.text);
    return rowsOf(answer, 'count')[0]![0] as number;
  };

  it('lets nobody but an administrator make a program that speaks for persons', async () => {
    assert.equal((await register('spy', author, { mayNamePersons: true })).body.code, 'NOT_ALLOWED');
    assert.equal((await register('plain', author)).status, 200);
    assert.equal((await mint(author, { client: 'plain', person: owner })).body.code, 'TOKEN_SCOPE_EXCEEDED');
  });

  it('reaches, by a token that a person mints, no more than that person may see', async () => {
    for (const quay of ['Q1', 'Q2']) {
      const answer = await mint(author, { client: 'plain', where: { works: `quay = '${quay}'` } });
      assert.equal(answer.status, 201, answer.text);
      assert.equal(await countWith(tokenIn(answer)), quay === 'Q1' ? rowsOfQuay('Q1') : 0, quay);
    }
  });

  it('keeps a secret until it is renewed, and the one before for as long as it is said', async () => {
    const add = (id: string, as = author) =>
      small.house.call('POST', '/api/v1/clients', { as, body: { id, title: 'Host', reports: ['works'] } });
    const first = secretIn(await add('steady'));
    const again = await add('steady');
    assert.deepEqual([again.status, again.body.code], [409, 'NAME_TAKEN']);
    const changed = await register('steady', author, { title: 'Steady host', maxLifetimeSeconds: 60 });
    assert.equal(secretIn(changed), undefined);
    const details = { where: { works: "quay = 'Q1'" } };
    const works = async (secret: string) => (await ask('steady', secret, details)).status;
    assert.equal(await works(first), 200);
    const renew = (body: object, as = author) =>
      small.house.call('POST', '/api/v1/clients/steady/rotate-secret', { as, body });
    assert.equal((await renew({}, reader)).status, 404);
    const second = secretIn(await renew({ hours: 1 }));
    assert.deepEqual([await works(first), await works(second)], [200, 200]);
    // Two at once: both answers are secrets, and what holds in the end is one of them and the one before.
    const both = (await Promise.all([renew({ hours: 1 }), renew({ hours: 1 })])).map(secretIn);
    assert.deepEqual((await Promise.all(both.map(works))).sort(), [200, 200]);
    assert.deepEqual([await works(first), await works(second)], [401, 401]);
    const third = secretIn(await renew({ hours: 0 }));
    assert.deepEqual([await works(third), await works(both[0]!), await works(both[1]!)], [200, 401, 401]);
    const shown = await small.house.call('GET', '/api/v1/clients/steady', { as: author });
    assert.doesNotMatch(shown.text, /ingerprint|ubc_/);
    // What was ended is registered anew, under a secret that was never seen.
    await small.fine('DELETE', '/api/v1/clients/steady', undefined, author);
    assert.equal((await renew({})).status, 404);
    assert.notEqual(secretIn(await add('steady')), third);
    assert.equal(await works(third), 401);
  });

  it('reaches, by a token that a program asks for, no more than whoever gave it the report', async () => {
    const secret = secretIn(await register('mine', author));
    const token = tokenIn(await ask('mine', secret, { where: { works: "quay IN ('Q1', 'Q2', 'Q3')" } }));
    assert.equal(await countWith(token), rowsOfQuay('Q1'));
    // Whoever owns the dataset gives the program the dataset, as to a person.
    const grant = {
      holder: { kind: 'client', name: 'mine' },
      thing: { kind: 'dataset', name: 'works' },
      level: 'view',
    };
    assert.equal(
      (await small.house.call('PUT', '/api/v1/permissions', { as: author, body: grant })).body.code,
      'NOT_ALLOWED',
    );
    await small.fine('PUT', '/api/v1/permissions', grant, owner);
    assert.equal(await countWith(token), rowsOfQuay('Q1') + rowsOfQuay('Q2') + rowsOfQuay('Q3'));
    const edit = await small.house.call('PUT', '/api/v1/permissions', { as: owner, body: { ...grant, level: 'edit' } });
    assert.equal(edit.body.code, 'NOT_ALLOWED');
    const listed = await small.house.call('GET', '/api/v1/permissions?kind=dataset&name=works', { as: owner });
    const { grants } = listed.body as unknown as { grants: { id: number; holder: { kind: string } }[] };
    const given = grants.find((one) => one.holder.kind === 'client')!;
    assert.equal((await small.house.call('DELETE', `/api/v1/permissions/${given.id}`, { as: owner })).status, 204);
    assert.equal(await countWith(token), rowsOfQuay('Q1'));
  });

  it('shows what is masked to its giver as masked, though no mask is for programs', async () => {
    await small.mask('steps', 'Makers', { kind: 'coarsen', column: 'cost', by: { to: 'band', width: 100 } });
    const token = tokenIn(await mint(author, { client: 'plain', where: { works: "quay = 'Q1'" } }));
    const answer = await small.house.call('GET', '/api/v1/placements/works/view', { token });
    for (const [, , , cost] of rowsOf(answer, 'rows')) assert.equal((cost as number) % 100, 0);
    await small.fine('DELETE', '/api/v1/datasets/works/masks/steps', undefined, owner);
  });

  it('speaks for a person with that person’s rows, and with no more than the giver’s where the person has no right', async () => {
    const secret = secretIn(await register('speaker', root, { mayNamePersons: true }));
    assert.equal(await countWith(tokenIn(await ask('speaker', secret, { person: reader }))), rowsOfQuay('Q1'));
    // Whoever may change the program gets a new secret for it, but not one with which it still speaks for persons.
    assert.equal((await register('speaker', author, { mayNamePersons: true })).body.code, 'NOT_ALLOWED');
    assert.equal(secretIn(await register('speaker', author)), undefined, 'changing its bounds keeps its secret');
    const taken = secret;
    assert.equal((await ask('speaker', taken, { person: reader })).body.code, 'TOKEN_SCOPE_EXCEEDED');
  });

  it('ends with whoever handed it out', async () => {
    const { app } = small.house;
    const leaver = 'leaver@skerrow.example';
    await app.records.transaction(() =>
      addPerson(app, { email: leaver, name: 'Leaver', passwordHash: null, attributes: { quay: ['Q1'] } }),
    );
    for (const thing of [
      { kind: 'report', name: 'works' },
      { kind: 'client', name: 'plain' },
    ])
      await small.fine(
        'PUT',
        '/api/v1/permissions',
        { holder: { kind: 'person', name: leaver }, thing, level: 'own' },
        root,
      );
    const { startSession, findPerson } = await import('../../src/access/index.ts');
    const { key } = await startSession(app, (await findPerson(app, { email: leaver }))!.id, 'command line');
    const made = await small.house.call('POST', '/api/v1/tokens', {
      token: key,
      body: { report: 'works', client: 'plain', where: { works: "quay = 'Q1'" } },
    });
    const jwt = tokenIn(made);
    assert.equal(await countWith(jwt), rowsOfQuay('Q1'));
    await small.fine('PUT', `/api/v1/users/${leaver}`, { state: 'left' }, root);
    assert.equal(await countWith(jwt), 0);
  });

  it('is listed for those whom it concerns, and tells others neither filters nor persons nor reports', async () => {
    await small.fine('POST', '/api/v1/reports', { definition: report({ name: 'hidden' }), notes: '' }, owner);
    const secret = secretIn(await register('wide', root, { reports: ['works', 'hidden'], mayNamePersons: true }));
    await ask('wide', secret, { person: owner, where: { works: "quay = 'Q4'" } });
    for (const path of ['/api/v1/clients', '/api/v1/tokens']) {
      const seen = await small.house.call('GET', path, { as: reader });
      assert.ok(!/works|hidden|Q4|owner@/.test(seen.text), `${path}: ${seen.text}`);
    }
    // Now one of the two reports is the reader's own; nothing else about it is.
    const own = { holder: { kind: 'person', name: reader }, thing: { kind: 'report', name: 'works' }, level: 'own' };
    await small.fine('PUT', '/api/v1/permissions', own, author);
    const clients = await small.house.call('GET', '/api/v1/clients', { as: reader });
    assert.match(clients.text, /"id":"wide"/);
    assert.ok(!clients.text.includes('hidden'), clients.text);
    const tokens = await small.house.call('GET', '/api/v1/tokens', { as: reader });
    assert.match(tokens.text, /"clientId":"wide"/);
    assert.ok(!/owner@|Q4/.test(tokens.text), tokens.text);
    assert.match((await small.house.call('GET', '/api/v1/tokens', { as: root })).text, /Q4/);
  });
});

describe('rights', () => {
  let small: SmallHouse;
  const guest = 'guest@elsewhere.example';
  before(async () => {
    small = await SmallHouse.open();
    const { app } = small.house;
    await app.records.transaction(() =>
      addPerson(app, { email: guest, name: 'Guest', passwordHash: null, state: 'guest', organisation: 'Elsewhere' }),
    );
  });
  after(() => small.close());
  const give = (as: string, name: string, thing: object, level: string) =>
    small.house.call('PUT', '/api/v1/permissions', { as, body: { holder: { kind: 'person', name }, thing, level } });
  const works = { kind: 'report', name: 'works' };

  it('of guests end at taking figures away, by whatever road', async () => {
    for (const level of ['edit', 'own'])
      assert.equal((await give(author, guest, works, level)).body.code, 'NOT_ALLOWED');
    assert.equal((await give(author, guest, works, 'export')).status, 200);
    // In a group that owns things a guest still only looks.
    const { app } = small.house;
    const { decideRight } = await import('@underbell/core/access');
    const { findPerson } = await import('../../src/access/index.ts');
    const person = (await findPerson(app, { email: guest }))!;
    const right = decideRight(
      [
        {
          holder: { kind: 'group', name: 'Makers' },
          thing: { kind: 'report', name: '*' },
          level: 'own',
          canPassOn: true,
        },
      ],
      { ...person, groups: ['Makers'] },
      { kind: 'report', name: 'works' },
    );
    assert.deepEqual([right?.level, right?.passesOn], ['export', undefined]);
  });

  it('belong to persons, not to addresses that change hands', async () => {
    const { app } = small.house;
    const {
      addPerson: add,
      changePerson,
      findPersonRow,
      rightOn,
      findPerson,
      limitsOn,
    } = await import('../../src/access/index.ts');
    const old = 'mover@skerrow.example';
    await app.records.transaction(() => add(app, { email: old, name: 'Mover', passwordHash: null }));
    await give(author, old, works, 'own');
    await small.fine(
      'PUT',
      '/api/v1/datasets/works/row-rules/for-mover',
      { appliesTo: { kind: 'person', name: old }, where: 'TRUE' },
      owner,
    );
    const { id } = (await findPersonRow(app, { email: old }))!;
    await app.records.transaction(async () => {
      await changePerson(app, id, { email: 'moved@skerrow.example' });
      await add(app, { email: old, name: 'Newcomer', passwordHash: null });
    });
    const newcomer = (await findPerson(app, { email: old }))!;
    assert.equal(await rightOn(app, newcomer, 'report', 'works'), undefined);
    const moved = (await findPerson(app, { id }))!;
    assert.equal((await rightOn(app, moved, 'report', 'works'))?.level, 'own');
    const { rules } = await limitsOn(app, ['works']);
    const rule = rules.find((one) => one.name === 'for-mover')!;
    assert.deepEqual(rule.appliesTo, { kind: 'person', name: 'moved@skerrow.example' });
    await small.fine('DELETE', '/api/v1/datasets/works/row-rules/for-mover', undefined, owner);
  });

  it('are not lowered by inviting again', async () => {
    const rights = (level: string) => [{ ...works, level }];
    const invite = (level: string) =>
      small.house.call('POST', '/api/v1/invitations', {
        as: author,
        body: { email: 'new@elsewhere.example', name: 'New', organisation: 'Elsewhere', rights: rights(level) },
      });
    assert.equal((await invite('export')).status, 201);
    assert.equal((await invite('view')).status, 201);
    const { text } = await small.house.call('GET', '/api/v1/permissions?kind=report&name=works', { as: author });
    assert.match(text, /"name":"new@elsewhere\.example"\},"thing":\{[^}]*\},"level":"export"/);
  });

  it('to edit do not become rights to own by moving a folder', async () => {
    const put = (as: string, path: string, body: object) => small.house.call('PUT', path, { as, body });
    await small.fine('PUT', '/api/v1/folders/theirs', { title: 'Theirs' }, owner);
    await small.fine('PUT', '/api/v1/folders/mine', { title: 'Mine' }, author);
    await small.fine('POST', '/api/v1/reports', { definition: report({ name: 'inside' }), notes: '' }, owner);
    await small.fine('PUT', '/api/v1/reports/inside/folder', { folder: 'theirs' }, owner);
    assert.equal((await give(owner, author, { kind: 'folder', name: 'theirs' }, 'edit')).status, 200);
    const moved = await put(author, '/api/v1/folders/theirs?confirmed=true', { title: 'Theirs', parentName: 'mine' });
    assert.equal(moved.body.code, 'NOT_ALLOWED');
    const taken = await put(author, '/api/v1/reports/inside/folder?confirmed=true', { folder: 'mine' });
    assert.equal(taken.body.code, 'NOT_ALLOWED');
    // Owning the folder where it goes is not enough either for whoever does not own where it comes from.
    await give(owner, author, { kind: 'report', name: 'inside' }, 'own');
    const out = await put(author, '/api/v1/reports/inside/folder', { folder: null });
    assert.equal(out.body.code, 'NOT_ALLOWED');
  });
});
