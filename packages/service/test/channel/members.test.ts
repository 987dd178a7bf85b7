import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { addPerson } from '../../src/access/index.ts';
import { until } from '../house.ts';
import { author, owner, reader, root, rowsOf } from '../smallHouse.ts';
import { ChatHouse, server, trust, users } from './chatHouse.ts';

describe('a tab of a channel', () => {
  let at: ChatHouse;
  before(async () => {
    at = await ChatHouse.open();
  });
  after(() => at.close());

  it('is placed by owners of the channel who may pass on what it shows, and by nobody else', async () => {
    at.add('owner');
    at.add('reader');
    await at.heard();
    assert.equal((await at.place({}, owner)).body.code, 'NOT_ALLOWED', 'in the channel, but no owner of it');
    assert.equal((await at.place({}, root)).body.code, 'NOT_FOUND', 'not in the channel');
    assert.equal((await at.place({ channel: 'Quay lead' })).body.code, 'NOT_FOUND');
    assert.deepEqual((await at.place({ channel: 'Quay lead' })).body['nearest'], ['Quay leads']);
    assert.equal((await at.place({ chat: 'skerow' })).body.code, 'NOT_FOUND');
    at.chat.rooms.raise(at.leads, users.author, users.reader, 50);
    await at.heard();
    assert.equal((await at.place({}, reader)).body.code, 'NOT_ALLOWED', 'an owner who may not pass the report on');
    assert.equal((await at.place({ shows: { title: 'x', report: 'nothing' } })).body.code, 'NOT_FOUND');
    assert.deepEqual(at.widgets(), [], 'nothing of all that stands in the chat');
    const made = await at.placed();
    assert.equal(made.name, 'Works of the quays');
    assert.deepEqual(at.widgets(), [
      { name: 'Works of the quays', url: `${at.small.house.url}/t/skerrow/works-tab`, by: `@underbell:${server}` },
    ]);
    assert.deepEqual(at.posts(), [], 'nobody is told unasked');
  });

  it('is seen by everybody in the channel, each under their own rules, and by nobody outside', async () => {
    const mine = await at.view(await at.keyOf('reader'));
    assert.equal(rowsOf(mine, 'rows').length, 10, 'their quay alone');
    at.add('newcomer');
    at.add('guest');
    await at.heard();
    for (const user of ['newcomer', 'guest'] as const) {
      const seen = await at.view(await at.keyOf(user));
      assert.equal(seen.status, 200, seen.text);
      assert.deepEqual(rowsOf(seen, 'rows'), [], 'nothing is known of them, so no row is theirs');
      assert.match(seen.text, /quay/, 'and why is said');
    }
    assert.equal((await at.enter('root')).status, 200, 'whoever is known comes in');
    const key = await at.keyOf('root');
    assert.equal((await at.view(key)).body.code, 'NOT_FOUND', 'and sees nothing of channels that they are not in');
    assert.equal((await at.small.house.call('GET', '/api/v1/placements/works-tab/view')).status, 401);
  });

  it('lets those who were never seen here in to itself, and to nothing else', async () => {
    const { house } = at.small;
    await at.small.fine(
      'PUT',
      '/api/v1/permissions',
      { holder: { kind: 'everyone' }, thing: { kind: 'report', name: 'works' }, level: 'view' },
      author,
    );
    const people = (await at.small.fine('GET', '/api/v1/users', undefined, root)).body as unknown as {
      people: { email: string; state: string; organisation: string }[];
    };
    const came = people.people.filter((one) => one.state === 'guest').map((one) => [one.email, one.organisation]);
    assert.deepEqual(came.sort(), [
      [`anna#${trust}@chat.invalid`, trust],
      [`newcomer#${server}@chat.invalid`, server],
    ]);
    const key = await at.keyOf('newcomer');
    const ask = (method: string, path: string, body?: object) =>
      house.call(method, path, { token: key, ...(body ? { body } : {}) });
    assert.deepEqual((await ask('GET', '/api/v1/reports')).body['reports'], []);
    assert.equal((await ask('GET', '/api/v1/reports/works/view')).body.code, 'NOT_FOUND');
    assert.equal((await ask('GET', '/api/v1/datasets/works')).body.code, 'NOT_FOUND');
    assert.equal(
      (await ask('POST', '/api/v1/placements/works-tab/export', { format: 'csv', figure: 'rows' })).body.code,
      'NOT_ALLOWED',
    );
    assert.equal(
      (await ask('POST', '/api/v1/placements/works-tab/rows', { figure: 'rows', from: 0, count: 5 })).status,
      200,
    );
    assert.equal((await ask('GET', '/api/v1/placements/works-tab/thumbnail')).status, 200);
    const [rights] = await house.app.records.query(
      "SELECT count(*)::int AS n FROM grants g JOIN people p ON g.holder_name = p.id WHERE p.state = 'guest'",
    );
    assert.deepEqual(rights, [{ n: 0 }]);
  });

  it('is read from within the chat and changed nowhere by that, whoever comes in', async () => {
    for (const user of ['root', 'author'] as const) {
      const key = await at.keyOf(user);
      const ask = (method: string, path: string, body?: object) =>
        at.small.house.call(method, path, { token: key, ...(body ? { body } : {}) });
      const { person } = (await ask('GET', '/api/v1/session')).body as unknown as {
        person: { isAdministrator: boolean };
      };
      assert.equal(person.isAdministrator, false, 'nobody administers by the word of a chat');
      for (const [method, path, body] of [
        ['PUT', '/api/v1/session/password', { current: 'x', password: 'y' }],
        ['POST', '/api/v1/reports', { definition: {}, notes: '' }],
        ['PUT', '/api/v1/users/reader@skerrow.example', { state: 'left' }],
        ['PUT', '/api/v1/permissions', {}],
        ['POST', '/api/v1/reports/works/preview-as', {}],
        ['DELETE', '/api/v1/channel-placements/works-tab', undefined],
        ['PUT', '/api/v1/channel-placements/other', {}],
        ['DELETE', '/api/v1/chat-servers/skerrow', undefined],
        ['POST', '/api/v1/session/frame', undefined],
        ['POST', '/api/v1/clients', { id: 'x', title: 'x', reports: ['works'] }],
      ] as const)
        assert.equal((await ask(method, path, body)).body.code, 'NOT_ALLOWED', `${user}: ${method} ${path}`);
      assert.deepEqual((await ask('GET', '/api/v1/chat-servers/skerrow')).body['setup'], undefined);
    }
    assert.deepEqual((await at.tab()).state, 'placed');
  });

  it('is closed to who goes, at once, with what is open', async () => {
    const key = await at.keyOf('newcomer');
    const stop = new AbortController();
    const stream = await fetch(`${at.small.house.url}/api/v1/placements/works-tab/events`, {
      headers: { Authorization: `Bearer ${key}`, Accept: 'text/event-stream' },
      signal: stop.signal,
    });
    assert.equal(stream.status, 200);
    const end = (async () => {
      for await (const _ of stream.body!) continue;
      return true;
    })();
    assert.equal((await at.view(key)).status, 200);
    at.remove('newcomer');
    assert.equal(await end, true, 'the stream ends by itself');
    assert.equal((await at.view(key)).body.code, 'NOT_FOUND');
    at.add('newcomer');
    await until(async () => (await at.view(key)).status === 200);
  });

  it('counts who comes and goes also where nobody told, and after everything was missed', async () => {
    const key = await at.keyOf('newcomer');
    const [service] = at.chat.services;
    service!.isDeaf = true;
    at.remove('newcomer');
    at.remove('guest');
    service!.isDeaf = false;
    assert.equal((await at.view(key)).status, 200, 'nobody told');
    await at.look();
    assert.equal((await at.view(key)).body.code, 'NOT_FOUND', 'found by asking');
    // As after a restart with a copy from the day before.
    const { records } = at.small.house.app;
    await records.query("INSERT INTO chat_members (chat_name, room_id, user_id) VALUES ('skerrow', $room, $user)", {
      bind: { room: at.leads, user: users.newcomer },
    });
    await records.query('UPDATE record_mark SET mark = gen_random_uuid()');
    assert.equal((await at.view(key)).status, 200);
    const compared = await at.small.fine('POST', '/api/v1/chat-servers/skerrow/sync-members', undefined, root);
    assert.deepEqual([compared.body['joined'], compared.body['left'], compared.body['rooms']], [0, 1, 3]);
    // Several who compare at once do not undo each other's work for ever.
    const all = await Promise.all(
      Array.from({ length: 6 }, () =>
        at.small.house.call('POST', '/api/v1/chat-servers/skerrow/sync-members', { as: root }),
      ),
    );
    assert.deepEqual([...new Set(all.map((one) => one.status))], [200], all.map((one) => one.text).join('\n'));
    assert.equal((await at.view(key)).body.code, 'NOT_FOUND');
    at.add('newcomer');
    await until(async () => (await at.view(key)).status === 200);
  });

  it('lets nobody in while its chat has another name, until everybody was compared', async () => {
    const key = await at.keyOf('newcomer');
    const { setup, title } = (await at.small.fine('GET', '/api/v1/chat-servers/skerrow', undefined, root))
      .body as unknown as {
      setup: object;
      title: string;
    };
    const save = (serverName: string) =>
      at.small.fine('PUT', '/api/v1/chat-servers/skerrow', { ...setup, title, serverName }, root);
    await save('other.example');
    assert.equal((await at.view(key)).body.code, 'SIGN_IN_NEEDED', 'who came in by it is out');
    assert.equal((await at.enter('newcomer')).body.code, 'SIGN_IN_FAILED', 'its people are somebody else’s');
    await save(server);
    await at.look();
    await until(async () => (await at.enter('newcomer')).status === 200);
    assert.equal((await at.view(await at.keyOf('newcomer'))).status, 200);
    assert.equal((await at.tab()).state, 'placed');
  });

  it('is seen by a newcomer as themselves once somebody makes them known', async () => {
    const { app } = at.small.house;
    const email = 'newcomer@skerrow.example';
    await app.records.transaction(async () => {
      await addPerson(app, { email, name: 'New Comer', passwordHash: null, attributes: { quay: ['Q3'] } });
    });
    const seen = await at.view(await at.keyOf('newcomer'));
    assert.deepEqual([...new Set(rowsOf(seen, 'rows').map((row) => row[1]))], ['Q3']);
    await at.small.fine('PUT', `/api/v1/users/${email}`, { state: 'left' }, root);
    assert.equal((await at.enter('newcomer')).body.code, 'SIGN_IN_FAILED', 'not as a stranger either');
    await at.small.fine('PUT', `/api/v1/users/${email}`, { state: 'active' }, root);
  });

  it('is closed once whoever placed it may not pass it on, and opened by another owner of the channel', async () => {
    at.add('guest');
    await at.heard();
    const key = await at.keyOf('guest');
    await at.small.fine('PUT', `/api/v1/users/${author}`, { state: 'left' }, root);
    assert.equal((await at.view(key)).body.code, 'NOT_FOUND');
    at.chat.rooms.raise(at.leads, users.author, users.owner, 50);
    await at.heard();
    assert.equal((await at.tab('works-tab', owner)).state, 'closed');
    await at.placed({}, owner);
    assert.equal((await at.view(key)).status, 200);
    await at.small.fine('PUT', `/api/v1/users/${author}`, { state: 'active' }, root);
  });
});
