import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { until } from '../house.ts';
import { author, owner, reader, report, root } from '../smallHouse.ts';
import { ChatHouse, users } from './chatHouse.ts';

describe('tabs and what their channels are told', () => {
  let at: ChatHouse;
  before(async () => {
    at = await ChatHouse.open();
    at.add('reader');
    at.add('newcomer');
    await at.heard();
    await at.placed();
  });
  after(() => at.close());

  const call = (method: string, path: string, body?: object, as = author) =>
    at.small.house.call(method, path, { as, ...(body ? { body } : {}) });

  it('follow what is changed here: name, report, channel', async () => {
    await at.placed({ tab: 'Works' });
    await until(() => at.widgets()[0]?.name === 'Works');
    await at.small.fine('PUT', '/api/v1/placements/works-tab/name', { name: 'quay-works' }, author);
    await until(() => at.widgets()[0]?.url.endsWith('/t/skerrow/quay-works'));
    await at.placed({ tab: 'Works', channel: 'Others' }, author, 'quay-works');
    await until(() => at.widgets().length === 0 && at.widgets(at.others).length === 1);
    assert.equal((await at.view(await at.keyOf('reader'), 'quay-works')).status, 200, 'by their own right');
    assert.equal(
      (await at.view(await at.keyOf('newcomer'), 'quay-works')).body.code,
      'NOT_FOUND',
      'not in that channel',
    );
    await at.placed({ tab: 'Works' }, author, 'quay-works');
    await until(() => at.widgets().length === 1 && at.widgets(at.others).length === 0);
    assert.equal((await at.view(await at.keyOf('newcomer'), 'quay-works')).status, 200);
  });

  it('are refused where this service is no moderator, and under a name that is somebody else’s', async () => {
    const { rooms } = at.chat;
    const alone = rooms.make({ creator: users.author, name: 'Alone' });
    rooms.invite(alone.id, users.author, at.chat.services[0]!.user);
    await until(async () => (await at.known(alone.id)) === 2);
    const refused = await at.place({ channel: 'Alone' }, author, 'alone');
    assert.equal(refused.body.code, 'CHAT_REFUSED');
    assert.match(refused.body.hint!, /@underbell:/);
    assert.equal((await call('GET', '/api/v1/placements/alone')).body.code, 'NOT_FOUND', 'nothing is half done');
    await at.small.fine('PUT', '/api/v1/placements/portal', { kind: 'portal', title: 'P', report: 'works' }, owner);
    assert.equal((await at.place({}, author, 'portal')).body.code, 'NAME_TAKEN');
    assert.equal(
      (await at.place({ shows: { title: 'x', report: 'works', where: { works: 'nonsense = 1' } } }, author, 'new')).body
        .code,
      'FILTER_UNKNOWN_COLUMN',
    );
  });

  it('go when they are taken away here or in the chat, or when their channel puts this service out', async () => {
    await at.placed({}, author, 'second');
    assert.equal(
      (await call('DELETE', '/api/v1/channel-placements/second', undefined, reader)).body.code,
      'NOT_ALLOWED',
    );
    assert.match((await call('DELETE', '/api/v1/channel-placements/secon')).text, /"second"/);
    assert.equal((await call('DELETE', '/api/v1/channel-placements/second')).status, 204);
    await until(() => at.widgets().length === 1);
    assert.equal((await call('GET', '/api/v1/placements/second')).body.code, 'NOT_FOUND');
    // An owner takes it out in the chat.
    await at.placed({}, author, 'third');
    const key = await at.keyOf('newcomer');
    assert.equal((await at.view(key, 'third')).status, 200);
    const state = at.chat.rooms.require(at.leads).state();
    const widget = state.find((one) => String(one.content['url']).endsWith('/third'))!;
    at.chat.rooms.setState(at.leads, users.author, 'm.widget', widget.state_key!, {});
    await until(async () => (await at.tab('third')).state === 'taken away');
    assert.equal((await at.view(key, 'third')).body.code, 'NOT_FOUND');
    await at.placed({}, author, 'third');
    assert.equal((await at.view(key, 'third')).status, 200, 'placed again, it is there again');
    at.chat.rooms.remove(at.leads, users.author, at.chat.services[0]!.user);
    await until(async () => (await at.tab('third')).state === 'closed');
    assert.equal((await at.view(key, 'third')).body.code, 'NOT_FOUND');
    at.chat.rooms.invite(at.leads, users.author, at.chat.services[0]!.user);
    await until(async () => (await at.tab('third')).state === 'placed');
  });

  it('go with their report, and with the whole chat', async () => {
    const definition = report({ name: 'short' });
    await at.small.fine('POST', '/api/v1/reports', { definition, notes: '' }, author);
    await at.placed({ shows: { title: 'Short', report: 'short' } }, author, 'short-tab');
    await until(() => at.widgets().some((one) => one.name === 'Short'));
    await at.small.fine('DELETE', '/api/v1/channel-placements/short-tab', undefined, author);
    await until(() => !at.widgets().some((one) => one.name === 'Short'));
    const { open } = (await call('GET', '/api/v1/active-access?kind=chat', undefined, root)).body as unknown as {
      open: object[];
    };
    assert.equal(open.length, 1);
    assert.deepEqual(
      (await call('GET', '/api/v1/active-access?kind=chat')).body['open'],
      [],
      'administrators end chats',
    );
  });

  it('tell their channel now, later or by themselves, and nobody else’s words are markup', async () => {
    const before = at.posts().length;
    await at.placed({ tell: 'Look at <b>this</b>' }, author, 'quay-works');
    await until(() => at.posts().length === before + 1);
    const [post] = at.posts().slice(-1);
    assert.match(post!.body, /Look at <b>this<\/b>\nAuthor/);
    assert.match(post!.html, /Look at &lt;b&gt;this&lt;\/b&gt;/);
    assert.match(post!.html, /<a href="http[^"]+\/v\/quay-works">/);
    assert.equal(
      (await call('POST', '/api/v1/channel-placements/quay-works/announce', { words: 'x' }, reader)).body.code,
      'NOT_ALLOWED',
    );
    await at.small.fine('POST', '/api/v1/channel-placements/quay-works/announce', { words: 'Later' }, author);
    await until(() => at.posts().some((one) => one.body.startsWith('Later')));
    await at.placed({ news: ['edition', 'data'] }, author, 'quay-works');
    await at.small.fine(
      'POST',
      '/api/v1/reports',
      { definition: report({ title: 'Works, mended' }), notes: '' },
      author,
    );
    await until(() => at.posts().some((one) => one.body.includes('new edition (2)')));
    await at.small.upload([{ id: 1, quay: 'Q1', kind: 'lights', cost: 1, day: '2026-10-01' }]);
    await until(() => at.posts().some((one) => one.body.includes('fresh data')));
    await at.small.upload([{ id: 1, quay: 'Q1', kind: 'lights', cost: 2, day: '2026-10-01' }]);
    const told = () => at.posts().filter((one) => one.body.includes('fresh data')).length;
    await at.small.fine('POST', '/api/v1/channel-placements/quay-works/announce', { words: 'The end' }, author);
    await until(() => at.posts().some((one) => one.body.startsWith('The end')));
    assert.equal(told(), 1, 'not with every load');
  });

  it('carry what a member sees into the channel, as a picture only where all see the same', async () => {
    const key = await at.keyOf('reader');
    const post = (query: string, body: object = {}, token = key) =>
      at.small.house.call('POST', `/api/v1/channel-placements/quay-works/post${query}`, { token, body });
    const sent = await post('?page=all&least=0&where=cost%20%3E%201', { words: 'Is this right?' });
    assert.deepEqual([sent.status, sent.body['hasPicture']], [200, false], sent.text);
    assert.match(String(sent.body['why']), /members of the channel see different data/);
    const last = at.posts().at(-1)!;
    assert.match(last.body, /^Reader posted what they see:\nIs this right\?\n/);
    assert.match(last.body, /\/v\/quay-works\?least=0&page=all&where=cost\+%3E\+1/);
    assert.ok(!last.html.includes('Q1'), 'no limits are told that others do not have');
    assert.equal((await post('?where=nonsense%20%3D%201')).body.code, 'FILTER_UNKNOWN_COLUMN');
    assert.equal((await post('?nothing=1')).status, 400);
    // With the newcomer gone everybody is of one quay.
    await at.keyOf('author');
    at.remove('newcomer');
    await at.heard();
    const pictured = await post('');
    assert.deepEqual([pictured.body['hasPicture'], at.posts().at(-1)!.type], [true, 'm.image'], pictured.text);
    const [file] = [...at.chat.files.values()];
    assert.equal(file!.bytes.subarray(1, 4).toString(), 'PNG');
    await at.small.mask('no-cost', 'Readers', { kind: 'hide', column: 'cost' });
    assert.equal((await post('')).body['hasPicture'], false, 'what is hidden from one is in no picture for the other');
    // Somebody who never came in by the chat is looked at as who they would come in as.
    await at.small.fine('DELETE', '/api/v1/datasets/works/masks/no-cost', undefined, owner);
    assert.equal((await post('')).body['hasPicture'], true);
    at.add('owner');
    await at.heard();
    assert.equal((await post('')).body['hasPicture'], true, 'one more who sees the same');
    await at.small.fine(
      'PUT',
      '/api/v1/datasets/works/masks/not-for-owner',
      { appliesTo: { kind: 'person', name: owner }, effect: { kind: 'hide', column: 'cost' } },
      owner,
    );
    assert.equal((await post('')).body['hasPicture'], false, 'what is hidden from them is in no picture');
    await at.small.fine('DELETE', '/api/v1/datasets/works/masks/not-for-owner', undefined, owner);
    at.remove('owner');
    await at.heard();
    const stranger = await at.small.house.call('POST', '/api/v1/channel-placements/quay-works/post', {
      as: owner,
      body: {},
    });
    assert.equal(stranger.body.code, 'NOT_FOUND', 'who is not in the channel says nothing there');
  });

  it('wait for a chat that is away, and lose nothing', async () => {
    const port = Number(new URL(at.chat.url).port);
    await at.chat.stop();
    assert.equal((await at.place({ tab: 'While away' }, author, 'quay-works')).status, 200);
    await at.look();
    assert.equal(
      ((await call('GET', '/api/v1/chat-servers/skerrow')).body['problem'] as unknown as { code: string }).code,
      'CHAT_UNREACHABLE',
    );
    (at.chat.options as { port: number }).port = port;
    await at.chat.start();
    await at.small.house.app.records.query("UPDATE jobs SET not_before = NULL WHERE kind LIKE 'channel.%'");
    await until(() => at.widgets().some((one) => one.name === 'While away'));
    await at.look();
    assert.equal((await call('GET', '/api/v1/chat-servers/skerrow')).body['problem'], undefined);
  });
});
