import assert from 'node:assert/strict';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { ClientEvent, createClient, EventType, RoomEvent, type MatrixClient, type MatrixEvent } from 'matrix-js-sdk';
import { logger } from 'matrix-js-sdk/lib/logger.js';
import { ChatHost } from '../src/index.ts';

// The client waits long for answers that nobody wants any more once it is stopped: that keeps no test from ending.
const setTimer = globalThis.setTimeout;
globalThis.setTimeout = ((work: () => void, ms?: number, ...rest: unknown[]) => {
  const timer = setTimer(work, ms, ...rest) as unknown as NodeJS.Timeout;
  return (ms ?? 0) > 60_000 ? timer.unref() : timer;
}) as unknown as typeof setTimeout;

const serverName = 'chat.example';
const users = [
  { id: `@ada:${serverName}`, name: 'Ada' },
  { id: `@ben:${serverName}`, name: 'Ben' },
];

describe('the chat, by a client that knows the standard and nothing of it', () => {
  let host: ChatHost;
  let ada: MatrixClient;
  let ben: MatrixClient;
  const folder = mkdtempSync(join(tmpdir(), 'underbell-chat-'));
  const options = { port: 0, serverName, users, password: 'chat', file: join(folder, 'chat.json') };

  async function signIn(user: string): Promise<MatrixClient> {
    const baseUrl = host.url;
    const { access_token: accessToken, user_id: userId } = await createClient({ baseUrl }).loginRequest({
      type: 'm.login.password',
      identifier: { type: 'm.id.user', user },
      password: 'chat',
    });
    const client = createClient({ baseUrl, accessToken, userId });
    const prepared = new Promise<void>((resolve) =>
      client.on(ClientEvent.Sync, (state) => state === 'PREPARED' && resolve()),
    );
    await client.startClient({ initialSyncLimit: 10 });
    await prepared;
    return client;
  }
  const until = async (look: () => unknown) => {
    for (let i = 0; i < 2_000 && !look(); i++) await new Promise((resolve) => setTimeout(resolve, 10));
    assert.ok(look(), look.toString());
  };

  before(async () => {
    (logger as unknown as { setLevel: (level: string) => void }).setLevel('silent');
    host = new ChatHost(options);
    await host.start();
    ada = await signIn('ada');
    ben = await signIn('ben');
  });
  after(async () => {
    ada.stopClient();
    ben.stopClient();
    await host.stop();
    rmSync(folder, { recursive: true });
  });

  it('signs in who has an account, and nobody else', async () => {
    assert.equal((await ada.whoami()).user_id, users[0]!.id);
    await assert.rejects(
      createClient({ baseUrl: host.url }).loginRequest({
        type: 'm.login.password',
        identifier: { type: 'm.id.user', user: 'ada' },
        password: 'wrong',
      }),
      { errcode: 'M_FORBIDDEN' },
    );
    await assert.rejects(createClient({ baseUrl: host.url, accessToken: 'none' }).whoami(), {
      errcode: 'M_UNKNOWN_TOKEN',
    });
  });

  it('has teams with channels, into which members come by themselves', async () => {
    const { room_id: team } = await ada.createRoom({ name: 'Team', creation_content: { type: 'm.space' } });
    const channel = host.rooms.make({ creator: users[0]!.id, name: 'Channel', topic: 'Things', team }).id;
    await until(() => ada.getRoom(channel)?.name === 'Channel' && ada.getRoom(team)?.isSpaceRoom());
    await assert.rejects(ben.joinRoom(channel), { errcode: 'M_FORBIDDEN' });
    await ada.invite(team, users[1]!.id);
    await until(() => ben.getRoom(team)?.getMyMembership() === 'invite');
    await ben.joinRoom(team);
    await ben.joinRoom(channel);
    await until(() => ada.getRoom(channel)?.getJoinedMembers().length === 2);
    assert.equal(ada.getRoom(channel)!.getMember(users[1]!.id)?.name, 'Ben');
    const heard: string[] = [];
    ben.on(RoomEvent.Timeline, (event: MatrixEvent) => heard.push(String(event.getContent()['body'])));
    await ada.sendTextMessage(channel, 'Good morning');
    await until(() => heard.includes('Good morning'));
    // Who owns the channel sets its state, and takes people out of it.
    await assert.rejects(ben.sendStateEvent(channel, EventType.RoomTopic, { topic: 'Other things' }), {
      errcode: 'M_FORBIDDEN',
    });
    await ada.sendStateEvent(channel, EventType.RoomTopic, { topic: 'Other things' });
    await until(
      () =>
        ben.getRoom(channel)?.currentState.getStateEvents('m.room.topic', '')?.getContent()['topic'] === 'Other things',
    );
    await assert.rejects(ben.kick(channel, users[0]!.id), { errcode: 'M_FORBIDDEN' });
    await ada.kick(channel, users[1]!.id);
    await until(() => ben.getRoom(channel)?.getMyMembership() === 'leave');
    await assert.rejects(ben.sendTextMessage(channel, 'still here'), { errcode: 'M_FORBIDDEN' });
  });

  it('gives a word by which others learn who somebody is', async () => {
    const word = await ada.getOpenIdToken();
    assert.equal(word.matrix_server_name, serverName);
    const ask = async (token: string) =>
      (
        await fetch(`${host.url}/_matrix/federation/v1/openid/userinfo?access_token=${token}`)
      ).json() as Promise<object>;
    assert.deepEqual(await ask(word.access_token), { sub: users[0]!.id });
    assert.equal(((await ask('other')) as { errcode: string }).errcode, 'M_UNKNOWN_TOKEN');
  });

  it('keeps pictures, and what happened over a restart', async () => {
    const { content_uri: uri } = await ada.uploadContent(Buffer.from('not really'), { type: 'image/png' });
    assert.match(uri, /^mxc:\/\/chat\.example\//);
    for (const one of [ada, ben]) one.stopClient();
    const before = host.rooms.joined(users[0]!.id).map((one) => one.id);
    await host.stop();
    const again = new ChatHost(options);
    await again.start();
    assert.deepEqual(
      again.rooms.joined(users[0]!.id).map((one) => one.id),
      before,
    );
    await again.stop();
  });
});
