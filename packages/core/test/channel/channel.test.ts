import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import {
  addressOf,
  compareMembers,
  isOwner,
  isSame,
  levelOf,
  messageOf,
  readPowerLevels,
  readRoomEvent,
  readUserId,
  registrationFile,
  strangerAddress,
  tabNameFor,
  tabNameLength,
  userIdOf,
} from '../../src/channel/index.ts';
import { casesOf } from '../cases.ts';

const chat = { serverName: 'chat.skerrow.example', addressDomain: 'skerrow.example' };

describe('people of a chat', () => {
  it('are told apart by names that mean one account each', () => {
    assert.deepEqual(readUserId('@kira.arkwell:chat.skerrow.example'), {
      local: 'kira.arkwell',
      server: 'chat.skerrow.example',
    });
    assert.deepEqual(readUserId('@a:[::1]:8448'), { local: 'a', server: '[::1]:8448' });
    for (const none of [
      '',
      '@',
      '@:x',
      'kira:x',
      '@Kira:x',
      '@ki ra:x',
      '@a:b c',
      '@a:b:c',
      '@a:b\n',
      `@a:${'b'.repeat(300)}`,
      7,
      null,
      ['@a:b'],
    ])
      assert.equal(readUserId(none), undefined, JSON.stringify(none));
  });

  it('have the company’s address by its own server alone', () => {
    assert.equal(addressOf({ local: 'kira', server: chat.serverName }, chat), 'kira@skerrow.example');
    assert.equal(addressOf({ local: 'kira', server: 'skerrow.example' }, chat), undefined);
    assert.equal(addressOf({ local: 'kira', server: chat.serverName }, { ...chat, addressDomain: null }), undefined);
    assert.equal(userIdOf('kira@skerrow.example', chat), '@kira:chat.skerrow.example');
    for (const other of [
      'kira@other.example',
      'kira',
      'ki:ra@skerrow.example',
      'Kira@skerrow.example',
      '@skerrow.example',
    ])
      assert.equal(userIdOf(other, chat), undefined, other);
  });

  it('who are strangers have addresses that nobody else has', () => {
    const part = fc.stringMatching(/^[a-z0-9._=/+-]{1,12}$/);
    const server = fc.stringMatching(/^[a-z0-9]{1,8}\.example(:[0-9]{2,4})?$/);
    const user = fc.record({ local: part, server });
    fc.assert(
      fc.property(user, user, (one, other) => {
        const isOne = one.local === other.local && one.server === other.server;
        assert.equal(strangerAddress(one) === strangerAddress(other), isOne);
        assert.match(strangerAddress(one), /@chat\.invalid$/);
      }),
      casesOf(300, 19_001),
    );
  });
});

describe('owners of a channel', () => {
  it('are those of the level that tabs need, and never below a moderator’s', () => {
    const levels = readPowerLevels({
      users: { '@a:x': 100, '@b:x': 50, '@c:x': '49', '@d:x': 'many' },
      state_default: 0,
      events: { 'm.widget': 10 },
    });
    assert.deepEqual(
      ['@a:x', '@b:x', '@c:x', '@d:x', '@e:x'].map((user) => isOwner(levels, user, null)),
      [true, true, false, false, false],
    );
    assert.equal(isOwner(readPowerLevels({ events: { 'm.widget': 75 }, users: { '@b:x': 50 } }), '@b:x', null), false);
    assert.equal(levelOf(null, '@a:x', '@a:x'), 100, 'while nothing is said, whoever made it');
    assert.equal(isOwner(null, '@b:x', '@a:x'), false);
    assert.equal(isOwner(readPowerLevels('nonsense'), 'constructor', null), false);
    assert.equal(
      isOwner(readPowerLevels({ users: JSON.parse('{"__proto__": 100}') as object }), 'toString', null),
      false,
    );
  });
});

describe('what a chat tells', () => {
  const event = (change: object) =>
    readRoomEvent({
      type: 'm.room.member',
      room_id: '!r:x',
      state_key: '@a:x',
      sender: '@b:x',
      content: { membership: 'join' },
      ...change,
    });

  it('is read where it decides something, and nothing where it is not as the standard has it', () => {
    assert.deepEqual(event({ content: { membership: 'join', displayname: ' Ada\nLove\u202elace ' } }), {
      room: '!r:x',
      what: 'member',
      user: '@a:x',
      membership: 'join',
      name: 'Ada Love lace',
    });
    for (const membership of ['ban', 'knock', 'leave', undefined, 7])
      assert.equal((event({ content: { membership } }) as { membership: string }).membership, 'leave');
    for (const change of [
      { room_id: 'r' },
      { room_id: 7 },
      { state_key: undefined },
      { state_key: 'a' },
      { content: null },
      { content: [] },
      { type: 'm.other' },
    ])
      assert.equal(event(change), undefined, JSON.stringify(change));
    assert.deepEqual(event({ type: 'm.space.child', state_key: '!c:x', content: { via: ['x'] } }), {
      room: '!r:x',
      what: 'channel',
      channel: '!c:x',
      isIn: true,
    });
    assert.equal(
      (event({ type: 'm.room.create', state_key: '', content: { type: 'm.space' } }) as { isTeam: boolean }).isTeam,
      true,
    );
  });

  it('leaves nobody in who was not found, and nobody out who was', () => {
    const names = fc.dictionary(fc.stringMatching(/^@[a-e]$/), fc.option(fc.constantFrom<string>('A', 'B')));
    fc.assert(
      fc.property(names, names, (before, now) => {
        const [known, found] = [new Map(Object.entries(before)), new Map(Object.entries(now))];
        const { joined, renamed, left } = compareMembers(known, found);
        for (const user of left) known.delete(user);
        for (const { user, name } of [...joined, ...renamed]) known.set(user, name);
        assert.deepEqual(new Map([...known].sort()), new Map([...found].sort()));
        assert.ok(isSame(compareMembers(known, found)));
      }),
      casesOf(300, 19_002),
    );
  });
});

describe('what a channel is shown', () => {
  it('has short names in whole words', () => {
    assert.equal(tabNameFor('Quay punctuality'), 'Quay punctuality');
    assert.equal(tabNameFor('Punctuality of the network'), 'Punctuality');
    assert.equal(tabNameFor('Takings: what the kiosks sell (monthly)'), 'Takings');
    assert.equal(tabNameFor('Donaudampfschifffahrtsgesellschaft'), 'Donaudampfschifffahrtsge');
    fc.assert(
      fc.property(fc.string({ minLength: 1, maxLength: 80 }), (title) => {
        if (title.trim() === '') return;
        const name = tabNameFor(title);
        assert.ok(name.length > 0 && name.length <= tabNameLength, JSON.stringify([title, name]));
      }),
      casesOf(300, 19_003),
    );
  });

  it('has nobody’s words as markup', () => {
    const { body, formatted_body: html } = messageOf({
      by: '<b>Kira</b>',
      words: '<script>\n"x"',
      title: '<i>',
      link: 'http://x/?a=1&b="',
      notes: ['<u>'],
    });
    assert.ok(!/<script|<i>|<u>|<b><b>/.test(html), html);
    assert.match(html, /href="http:\/\/x\/\?a=1&amp;b=&quot;"/);
    assert.match(body, /^<b>Kira<\/b> posted what they see:\n<script>\n"x"\n<i>/);
  });

  it('registers one account and no more', () => {
    const file = registrationFile({
      name: 'skerrow',
      serverName: 'chat.example',
      url: 'http://x',
      askKey: 'a',
      tellKey: 't',
    });
    const { namespaces } = JSON.parse(file) as {
      namespaces: { users: { regex: string; exclusive: boolean }[]; rooms: unknown[] };
    };
    const { regex } = namespaces.users[0]!;
    assert.deepEqual(
      ['@underbell:chat.example', '@underbellx:chat.example', '@underbell:chatxexample'].map((user) =>
        new RegExp(`^${regex}$`).test(user),
      ),
      [true, false, false],
    );
    assert.deepEqual(namespaces.rooms, []);
  });
});
