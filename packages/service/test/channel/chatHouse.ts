import assert from 'node:assert/strict';
import type { ShownTab } from '@underbell/core/channel';
import { ChatHost, type Registration } from '../../../standins/src/index.ts';
import { syncChats } from '../../src/channel/syncChats.ts';
import { startWorker } from '../../src/server.ts';
import { until, type Answer } from '../house.ts';
import { author, root, SmallHouse } from '../smallHouse.ts';

export const server = 'chat.skerrow.example';
/** Of another organisation. */
export const trust = 'trust.example';
/** Accounts: of people who are known here, of one who is not, and of a guest. */
export const users = {
  owner: `@owner:${server}`,
  author: `@author:${server}`,
  reader: `@reader:${server}`,
  root: `@root:${server}`,
  newcomer: `@newcomer:${server}`,
  guest: `@anna:${trust}`,
} as const;
export type UserName = keyof typeof users;

/** The small house, taking part in a chat with one team and two channels that the author owns. */
export class ChatHouse {
  private constructor(
    readonly small: SmallHouse,
    readonly chat: ChatHost,
    readonly team: string,
    readonly leads: string,
    readonly others: string,
  ) {}

  static async open(): Promise<ChatHouse> {
    const small = await SmallHouse.open();
    small.house.worker = startWorker(small.house.app);
    const people = Object.entries(users).map(([name, id]) => ({ id, name: name[0]!.toUpperCase() + name.slice(1) }));
    const chat = new ChatHost({ port: 0, serverName: server, users: people, password: 'chat' });
    const homeserver = await chat.start();
    const body = {
      name: 'skerrow',
      ...{ title: 'Skerrow chat', homeserver, serverName: server, addressDomain: 'skerrow.example' },
      ...{ guestServers: { [trust]: homeserver }, origins: [homeserver] },
    };
    const added = await small.fine('POST', '/api/v1/chat-servers', body, root);
    const { registration } = added.body as unknown as { registration: string };
    const service = chat.register(JSON.parse(registration) as Registration);
    const { rooms } = chat;
    const creator = users.author;
    const team = rooms.make({ creator, name: 'Operations', isTeam: true }).id;
    const leads = rooms.make({ creator, name: 'Quay leads', topic: 'Who leads a quay', team }).id;
    const others = rooms.make({ creator, name: 'Others', team }).id;
    for (const room of [team, leads, others]) rooms.raise(room, creator, service.user, 50);
    // Into the team it is invited; into its channels it comes by itself.
    rooms.invite(team, creator, service.user);
    const made = new ChatHouse(small, chat, team, leads, others);
    // What could not be opened listens no longer: a test that fails ends.
    await made.#comeIn().catch(async (error: unknown) => {
      await made.close();
      throw error;
    });
    return made;
  }

  async #comeIn(): Promise<void> {
    const { small, leads, others } = this;
    // As the clock does: what was pushed and did not arrive on a busy machine is asked for.
    await until(async () => {
      await syncChats(small.house.app);
      return (await this.known(leads)) === 2 && (await this.known(others)) === 2;
    });
  }

  async close(): Promise<void> {
    await this.small.close();
    await this.chat.stop();
  }

  /** How many are known to be in a room. */
  async known(room: string): Promise<number> {
    const [found] = await this.small.house.app.records.query(
      'SELECT count(*)::int AS n FROM chat_members WHERE room_id = $room',
      { bind: { room } },
    );
    return (found as { n: number }[])[0]!.n;
  }

  /** Somebody is brought into a channel. */
  add(user: UserName, room = this.leads): void {
    this.chat.rooms.invite(room, users.author, users[user]);
    this.chat.rooms.join(room, users[user]);
  }
  remove(user: UserName, room = this.leads): void {
    this.chat.rooms.remove(room, users.author, users[user]);
  }
  /** The chat's server is given other keys. */
  register(registration: string): void {
    for (const one of this.chat.services.splice(0)) one.stop();
    this.chat.register(JSON.parse(registration) as Registration);
  }
  /** Waits until everything is heard. */
  heard(): Promise<true> {
    return until(() => this.chat.services.every((one) => one.isDone));
  }
  /** Asks the chat what happened, as the clock does; where the clock itself takes the look meanwhile, once more. */
  async look(): Promise<void> {
    const { app } = this.small.house;
    await until(async () => {
      await app.records.query('UPDATE chats SET looked_at = NULL');
      return (await syncChats(app)).has('skerrow');
    });
  }

  /** Comes in by the chat. */
  async enter(user: UserName, change: object = {}): Promise<Answer> {
    const { access_token: accessToken, matrix_server_name: serverName } = this.chat.makeWord(users[user]);
    const body = { accessToken, serverName, ...change };
    return this.small.house.call('POST', '/api/v1/chat-servers/skerrow/session', { body });
  }
  async keyOf(user: UserName): Promise<string> {
    const entered = await this.enter(user);
    assert.equal(entered.status, 200, entered.text);
    return (entered.body as unknown as { key: string }).key;
  }

  place(change: object = {}, as = author, name = 'works-tab'): Promise<Answer> {
    const body = {
      chat: 'skerrow',
      channel: 'Quay leads',
      shows: { title: 'Works of the quays', report: 'works' },
      ...change,
    };
    return this.small.house.call('PUT', `/api/v1/channel-placements/${name}`, { as, body });
  }
  async placed(change: object = {}, as = author, name = 'works-tab'): Promise<ShownTab> {
    const answer = await this.place(change, as, name);
    assert.equal(answer.status, 200, answer.text);
    await until(async () => (await this.tab(name, as)).state === 'placed');
    return answer.body as unknown as ShownTab;
  }
  async tab(name = 'works-tab', as = author): Promise<ShownTab> {
    return (await this.small.fine('GET', `/api/v1/channel-placements/${name}`, undefined, as))
      .body as unknown as ShownTab;
  }
  /** Tabs as the chat has them. */
  widgets(room = this.leads): { name: string; url: string; by: string }[] {
    return this.chat.rooms
      .require(room)
      .state()
      .filter((one) => one.type === 'm.widget' && typeof one.content['url'] === 'string')
      .map((one) => ({ name: String(one.content['name']), url: String(one.content['url']), by: one.sender }));
  }
  posts(room = this.leads): { body: string; html: string; type: string }[] {
    return this.chat.rooms
      .require(room)
      .events.filter((one) => one.type === 'm.room.message')
      .map(({ content }) => ({
        body: String(content['body']),
        html: String(content['formatted_body'] ?? ''),
        type: String(content['msgtype']),
      }));
  }
  view(key: string, name = 'works-tab', query = ''): Promise<Answer> {
    return this.small.house.call('GET', `/api/v1/placements/${name}/view${query}`, { token: key });
  }
}
