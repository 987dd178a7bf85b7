import { findPerson } from '@underbell/service/access';
import { addChat } from '@underbell/service/channel';
import type { App } from '@underbell/service/platform';
import { ChatHost } from '@underbell/standins/chat';
import { compareChat } from '../../packages/service/src/channel/syncMembers.ts';
import { hear } from '../../packages/service/src/channel/receiveEvents.ts';
import { findChat } from '../../packages/service/src/channel/store.ts';
import { median, timeIt, type BenchFigure } from './figures.ts';
import { sender } from './furnish.ts';

const channels = 500;
const inEach = 20;
const serverName = 'chat.bench.example';
const changes = 5_000;
/** As servers tell them: some at once. */
const atOnce = 100;

const userOf = (i: number) => `@member-${i}:${serverName}`;

/** A chat with 500 channels of 20, of which this service knows nothing yet. */
async function crowdedChat(): Promise<ChatHost> {
  const own = `@underbell:${serverName}`;
  const users = Array.from({ length: channels * inEach }, (_, i) => ({ id: userOf(i), name: `Member ${i}` }));
  const chat = new ChatHost({ port: 0, serverName, users, password: 'bench' });
  for (let i = 0; i < channels; i++) {
    const { id } = chat.rooms.make({ creator: userOf(i * inEach), name: `Channel ${i}` });
    for (const user of [own, ...users.slice(i * inEach + 1, (i + 1) * inEach).map((one) => one.id)]) {
      chat.rooms.invite(id, userOf(i * inEach), user);
      chat.rooms.join(id, user);
    }
  }
  await chat.start();
  return chat;
}

/** What the same writes cost by themselves: the statements that write members, without anything that decides about them. */
async function plainWrites(app: App, rooms: readonly string[]): Promise<number> {
  await app.records.query('CREATE TABLE IF NOT EXISTS bench_members (LIKE chat_members INCLUDING ALL)');
  const write = async (from: number) => {
    const members = Array.from({ length: atOnce }, (_, i) => ({
      room: rooms[(from + i) % rooms.length],
      user: userOf(from + i),
    }));
    await app.records.query(
      `INSERT INTO bench_members (chat_name, room_id, user_id)
       SELECT 'bench', m.room, m."user" FROM json_to_recordset($members::json) AS m(room text, "user" text) ON CONFLICT DO NOTHING`,
      { bind: { members: JSON.stringify(members) } },
    );
  };
  const took = await timeIt(1, async () => {
    for (let from = 0; from < changes; from += atOnce) await write(from);
  });
  await app.records.query('DROP TABLE bench_members');
  return took;
}

/** Ten thousand members in five hundred channels: compared at once, and told of one after the other. */
export async function benchChannels(app: App, runs: number, say: (text: string) => void): Promise<BenchFigure[]> {
  const person = { ...(await findPerson(app, { email: sender }))!, isAdministrator: true };
  const server = await crowdedChat();
  try {
    const wish = {
      title: 'Bench',
      homeserver: server.url,
      serverName,
      addressDomain: null,
      guestServers: {},
      origins: [],
    };
    const { registration } = await addChat(app, person, 'bench', wish, 'bench');
    server.register(JSON.parse(registration) as never);
    const chat = (await findChat(app, 'bench'))!;
    const first = await timeIt(1, () => compareChat(app, chat));
    const times: number[] = [];
    for (let i = 0; i < runs; i++) times.push(await timeIt(1, () => compareChat(app, chat)));
    const rooms = [...server.rooms.all.keys()];
    const floor = await plainWrites(app, rooms);
    let number = 0;
    const told = await timeIt(1, async () => {
      for (let from = 0; from < changes; from += atOnce) {
        const events = Array.from({ length: atOnce }, (_, i) => ({
          type: 'm.room.member',
          room_id: rooms[(from + i) % rooms.length],
          state_key: `@new-${from + i}:${serverName}`,
          sender: `@new-${from + i}:${serverName}`,
          content: { membership: 'join' },
        }));
        await hear(app, chat, String(number++), events);
      }
    });
    say(
      `  ${channels * inEach} members of ${channels} channels: taken in after ${first.toFixed(0)} ms; ${((changes / told) * 1000).toFixed(0)} changes a second`,
    );
    return [
      {
        benchmark: '10,000 members of 500 channels compared',
        ours: median(times),
        against: '5 s',
        floor: 5_000,
        goal: { atMost: 1 },
      },
      {
        benchmark: `${changes} changes of members, told ${atOnce} at once`,
        ours: told,
        against: 'at 500 a second',
        floor: (changes / 500) * 1000,
        goal: { atMost: 1 },
      },
      {
        benchmark: `${changes} changes of members, told ${atOnce} at once`,
        ours: told,
        against: 'the same writes by plain SQL',
        floor,
        goal: { atMost: 10 },
      },
    ];
  } finally {
    await server.stop();
  }
}
