import assert from 'node:assert/strict';
import { createServer } from 'node:http';
import { after, before, describe, it } from 'node:test';
import { hear } from '../../src/channel/receiveEvents.ts';
import { findChat } from '../../src/channel/store.ts';
import { listen, until } from '../house.ts';
import { author, owner, reader, root } from '../smallHouse.ts';
import { ChatHouse, server, users } from './chatHouse.ts';

describe('the server of a chat, and who speaks for it', () => {
  let at: ChatHouse;
  before(async () => {
    at = await ChatHouse.open();
  });
  after(() => at.close());

  const tell = (events: unknown, key: string | undefined, number = '1', raw?: string) =>
    fetch(`${at.small.house.url}/_matrix/app/v1/transactions/${number}`, {
      method: 'PUT',
      headers: { 'Content-Type': 'application/json', ...(key === undefined ? {} : { Authorization: `Bearer ${key}` }) },
      body: raw ?? JSON.stringify({ events }),
    });
  const joins = (user: string, membership = 'join', room = at.leads) => ({
    type: 'm.room.member',
    room_id: room,
    state_key: user,
    sender: user,
    content: { membership },
  });
  const chat = async () => (await findChat(at.small.house.app, 'skerrow'))!;

  it('is believed by its key alone', async () => {
    for (const key of [undefined, 'ubt_wrong', 'ubs_wrong', '']) {
      const answer = await tell([joins(users.newcomer)], key);
      assert.equal(answer.status, 403);
      assert.deepEqual(Object.keys((await answer.json()) as object), ['errcode', 'error']);
    }
    const session = await at.small.house.keyOf(root);
    assert.equal((await tell([joins(users.newcomer)], session)).status, 403, 'not by an administrator’s either');
    assert.equal(await at.known(at.leads), 2);
  });

  it('has its keys shown once, and others from the moment they are renewed', async () => {
    const renew = (as: string) => at.small.house.call('POST', '/api/v1/chat-servers/skerrow/rotate-keys', { as });
    assert.equal((await renew(author)).body.code, 'NOT_ALLOWED');
    const { registration } = (await renew(root)).body as unknown as { registration: string };
    at.register(registration);
    const { hs_token: key, as_token: askKey } = JSON.parse(registration) as { hs_token: string; as_token: string };
    const shown = await at.small.house.call('GET', '/api/v1/chat-servers/skerrow', { as: root });
    const trail = await at.small.house.call('GET', '/api/v1/audit-log', { as: root });
    for (const secret of [key, askKey]) assert.ok(!shown.text.includes(secret) && !trail.text.includes(secret));
    assert.equal((await tell([], key)).status, 200);
    const body = await tell([], key, '2', '{"events":');
    assert.deepEqual([body.status, ((await body.json()) as { errcode: string }).errcode], [400, 'M_NOT_JSON']);
    assert.equal((await tell('none', key, '3')).status, 400);
    assert.equal((await tell([], key, 'x'.repeat(300))).status, 400);
    for (const path of ['users/@a:b', 'rooms/%23a:b'])
      assert.equal(
        (await fetch(`${at.small.house.url}/_matrix/app/v1/${path}`, { headers: { Authorization: `Bearer ${key}` } }))
          .status,
        404,
      );
    const ping = { method: 'POST', headers: { Authorization: `Bearer ${key}` } };
    assert.equal((await fetch(`${at.small.house.url}/_matrix/app/v1/ping`, ping)).status, 200);
  });

  it('is heard once, in order, and whatever nonsense is between', async () => {
    const { app } = at.small.house;
    const strange = [
      null,
      7,
      'x',
      {},
      { type: 'm.room.member' },
      joins('nobody'),
      joins('@a:b', 'join', 'no room'),
      { ...joins(users.newcomer), content: null },
    ];
    await hear(app, await chat(), 'a', [
      ...strange,
      joins(users.newcomer),
      joins(users.newcomer, 'leave'),
      joins(users.newcomer),
    ]);
    assert.equal(await at.known(at.leads), 3);
    await hear(app, await chat(), 'b', [joins(users.newcomer, 'leave')]);
    assert.equal(await at.known(at.leads), 2);
    await hear(app, await chat(), 'a', [joins(users.newcomer)]);
    assert.equal(await at.known(at.leads), 2, 'told a second time, it was told already');
    await Promise.all(
      Array.from({ length: 6 }, async () => hear(app, await chat(), 'c', [joins(users.guest), joins(users.newcomer)])),
    );
    assert.equal(await at.known(at.leads), 4);
    await hear(app, await chat(), 'd', [joins('@x:elsewhere.example', 'join', '!unknown:elsewhere.example')]);
    const [rooms] = await app.records.query("SELECT count(*)::int AS n FROM chat_rooms WHERE room_id LIKE '%unknown%'");
    assert.deepEqual(rooms, [{ n: 0 }], 'rooms that it is not in are nothing to it');
    await hear(app, await chat(), 'e', [joins(users.guest, 'ban'), joins(users.newcomer, 'leave')]);
    assert.equal(await at.known(at.leads), 2);
  });

  it('says who somebody is for its own people, and for servers that an administrator named', async () => {
    const refused = async (change: object) => (await at.enter('reader', change)).body.code;
    assert.equal((await at.enter('reader')).status, 200);
    assert.equal(await refused({ accessToken: 'openid_nobody' }), 'SIGN_IN_FAILED');
    assert.equal(await refused({ serverName: 'trust.example' }), 'SIGN_IN_FAILED', 'of one who is another server’s');
    assert.equal(await refused({ serverName: 'evil.example' }), 'SIGN_IN_FAILED');
    assert.equal(await refused({ serverName: 'toString' }), 'SIGN_IN_FAILED');
    const elsewhere = await at.small.house.call('POST', '/api/v1/chat-servers/nothing/session', {
      body: { accessToken: 'x', serverName: server },
    });
    assert.equal(elsewhere.body.code, 'SIGN_IN_FAILED', 'which chats there are is told to nobody');
    assert.equal((await at.enter('newcomer')).body.code, 'SIGN_IN_FAILED', 'in no channel');
    await at.small.fine('PUT', `/api/v1/users/${reader}`, { state: 'left' }, root);
    assert.equal(
      (await at.enter('reader')).body.code,
      'SIGN_IN_FAILED',
      'who has left is nobody, whatever a chat says',
    );
    await at.small.fine('PUT', `/api/v1/users/${reader}`, { state: 'active' }, root);
  });

  it('cannot speak for people of another, however it says it', async () => {
    let sub: unknown = `@owner:${server}`;
    const liar = createServer((_, response) => response.end(JSON.stringify({ sub })));
    const url = `http://127.0.0.1:${await listen(liar)}`;
    const { setup, title, serverName } = (await at.small.fine('GET', '/api/v1/chat-servers/skerrow', undefined, root))
      .body as unknown as {
      setup: object;
      title: string;
      serverName: string;
    };
    const body = { ...setup, title, serverName, guestServers: { 'liar.example': url } };
    await at.small.fine('PUT', '/api/v1/chat-servers/skerrow', body, root);
    at.add('owner');
    await at.heard();
    for (sub of [
      `@owner:${server}`,
      '@owner:liar.example:x',
      `@owner:${server}\n:liar.example`,
      ['@a:liar.example'],
      7,
      '',
      null,
      `@OWNER:${server}`,
    ])
      assert.equal((await at.enter('owner', { serverName: 'liar.example' })).body.code, 'SIGN_IN_FAILED', String(sub));
    sub = '@owner#x:liar.example';
    assert.equal((await at.enter('owner', { serverName: 'liar.example' })).body.code, 'SIGN_IN_FAILED');
    liar.close();
    liar.closeAllConnections();
    assert.equal((await at.enter('owner', { serverName: 'liar.example' })).body.code, 'CHAT_UNREACHABLE');
  });

  it('is added, changed and ended by administrators, at addresses that may be reached', async () => {
    const add = (change: object, as = root) =>
      at.small.house.call('POST', '/api/v1/chat-servers', {
        as,
        body: { name: 'other', title: 'Other', homeserver: at.chat.url, serverName: 'other.example', ...change },
      });
    for (const as of [owner, author]) assert.equal((await add({}, as)).body.code, 'NOT_ALLOWED');
    for (const homeserver of ['http://169.254.169.254/', 'ftp://chat.example', 'nonsense'])
      assert.ok(
        ['ADDRESS_FORBIDDEN', 'INPUT_INVALID'].includes(String((await add({ homeserver })).body.code)),
        homeserver,
      );
    assert.equal((await add({ serverName: 'Other Example' })).body.code, 'INPUT_INVALID');
    assert.equal((await add({ name: 'skerrow' })).body.code, 'NAME_TAKEN');
    const both = await Promise.all([add({}), add({})]);
    assert.deepEqual(both.map((one) => one.status).sort(), [201, 409]);
    assert.deepEqual(
      (await at.small.house.call('GET', '/api/v1/chat-servers/skerow', { as: author })).body['nearest'],
      ['skerrow'],
    );
    assert.equal(
      (await at.small.house.call('DELETE', '/api/v1/chat-servers/other', { as: author })).body.code,
      'NOT_ALLOWED',
    );
    assert.equal((await at.small.house.call('DELETE', '/api/v1/chat-servers/other', { as: root })).status, 204);
    await at.placed();
    const session = await at.keyOf('reader');
    assert.equal((await at.small.house.call('GET', '/api/v1/session', { token: session })).status, 200);
    assert.equal((await at.small.house.call('DELETE', '/api/v1/chat-servers/skerrow', { as: root })).status, 204);
    await until(
      async () =>
        (await at.small.house.call('GET', '/api/v1/channel-placements/works-tab', { as: author })).status === 404,
    );
    assert.equal((await at.enter('reader')).body.code, 'SIGN_IN_FAILED');
    assert.equal((await at.small.house.call('GET', '/api/v1/session', { token: session })).status, 401, 'at once');
  });
});
