import { randomBytes } from 'node:crypto';

/** An event of a room, as clients and application services are told of it. */
export interface RoomEvent {
  readonly event_id: string;
  readonly room_id: string;
  readonly type: string;
  readonly sender: string;
  readonly origin_server_ts: number;
  readonly content: Readonly<Record<string, unknown>>;
  readonly state_key?: string;
  /** Where it stands in the stream of everything. */
  readonly at: number;
}

/** What the standard calls an error. */
export class ChatError extends Error {
  constructor(
    readonly status: number,
    readonly errcode: string,
    message: string,
  ) {
    super(message);
  }
}
const forbidden = (message: string) => new ChatError(403, 'M_FORBIDDEN', message);

type Content = Readonly<Record<string, unknown>>;
export interface Levels {
  readonly users?: Readonly<Record<string, number>>;
  readonly users_default?: number;
  readonly events?: Readonly<Record<string, number>>;
  readonly state_default?: number;
  readonly invite?: number;
  readonly kick?: number;
}
export type Membership = 'join' | 'invite' | 'leave';

/** A room with everything that happened in it; what it is now follows from that. */
export class Room {
  readonly events: RoomEvent[] = [];
  readonly #state = new Map<string, RoomEvent>();

  constructor(readonly id: string) {}

  add(event: RoomEvent): void {
    this.events.push(event);
    if (event.state_key !== undefined) this.#state.set(`${event.type} ${event.state_key}`, event);
  }

  state(): RoomEvent[] {
    return [...this.#state.values()];
  }
  find(type: string, key = ''): Content | undefined {
    return this.#state.get(`${type} ${key}`)?.content;
  }
  text(type: string, word: string): string {
    const value = this.find(type)?.[word];
    return typeof value === 'string' ? value : '';
  }
  membership(user: string): Membership | undefined {
    return this.find('m.room.member', user)?.['membership'] as Membership | undefined;
  }
  isIn(user: string): boolean {
    return this.membership(user) === 'join';
  }
  members(): { user: string; name: string }[] {
    return this.state()
      .filter((one) => one.type === 'm.room.member' && one.content['membership'] === 'join')
      .map((one) => ({ user: one.state_key!, name: String(one.content['displayname'] ?? one.state_key) }));
  }
  get isTeam(): boolean {
    return this.find('m.room.create')?.['type'] === 'm.space';
  }
  /** Rooms that are in this one. */
  children(): string[] {
    return this.state()
      .filter((one) => one.type === 'm.space.child' && Array.isArray(one.content['via']))
      .map((one) => one.state_key!);
  }
  level(user: string): number {
    const { users, users_default: usual = 0 } = (this.find('m.room.power_levels') ?? {}) as Levels;
    return users?.[user] ?? usual;
  }
  needed(type: string): number {
    const { events, state_default: usual = 50 } = (this.find('m.room.power_levels') ?? {}) as Levels;
    return events?.[type] ?? usual;
  }
}

const newId = () => randomBytes(9).toString('base64url');

interface NewRoom {
  readonly creator: string;
  readonly name: string;
  readonly topic?: string;
  readonly isTeam?: boolean;
  /** Members of this team may come in by themselves. */
  readonly team?: string;
}

/** All rooms of a server, and who may do what in them. */
export class Rooms {
  readonly all = new Map<string, Room>();
  /** How many events there were. */
  count = 0;
  readonly #listeners = new Set<(event: RoomEvent) => void>();

  constructor(
    readonly serverName: string,
    readonly nameOf: (user: string) => string,
  ) {}

  listen(hear: (event: RoomEvent) => void): () => void {
    this.#listeners.add(hear);
    return () => this.#listeners.delete(hear);
  }

  require(id: string): Room {
    const room = this.all.get(id);
    if (room) return room;
    throw new ChatError(404, 'M_NOT_FOUND', 'there is no such room');
  }
  requireIn(id: string, user: string): Room {
    const room = this.all.get(id);
    if (room?.isIn(user)) return room;
    throw forbidden('you are not in this room');
  }
  joined(user: string): Room[] {
    return [...this.all.values()].filter((one) => one.isIn(user));
  }

  /** Takes up what happened before a restart. */
  restore(events: readonly RoomEvent[]): void {
    for (const event of events) {
      this.count = Math.max(this.count, event.at);
      const room = this.all.get(event.room_id) ?? new Room(event.room_id);
      this.all.set(room.id, room);
      room.add(event);
    }
  }

  add(room: Room, sender: string, type: string, content: Content, key?: string): RoomEvent {
    const event: RoomEvent = {
      event_id: `$${newId()}${newId()}`,
      room_id: room.id,
      type,
      sender,
      origin_server_ts: Date.now(),
      content,
      ...(key === undefined ? {} : { state_key: key }),
      at: ++this.count,
    };
    room.add(event);
    for (const hear of this.#listeners) hear(event);
    return event;
  }

  make({ creator, name, topic, isTeam, team }: NewRoom): Room {
    const room = new Room(`!${newId()}:${this.serverName}`);
    this.all.set(room.id, room);
    this.add(room, creator, 'm.room.create', { room_version: '10', ...(isTeam ? { type: 'm.space' } : {}) }, '');
    this.#member(room, creator, creator, 'join');
    this.add(room, creator, 'm.room.power_levels', { users: { [creator]: 100 }, state_default: 50 }, '');
    const rule =
      team === undefined
        ? { join_rule: 'invite' }
        : { join_rule: 'restricted', allow: [{ type: 'm.room_membership', room_id: team }] };
    this.add(room, creator, 'm.room.join_rules', rule, '');
    this.add(room, creator, 'm.room.name', { name }, '');
    if (topic !== undefined) this.add(room, creator, 'm.room.topic', { topic }, '');
    if (team !== undefined) this.add(this.require(team), creator, 'm.space.child', { via: [this.serverName] }, room.id);
    return room;
  }

  #member(room: Room, by: string, user: string, membership: Membership): void {
    this.add(room, by, 'm.room.member', { membership, displayname: this.nameOf(user) }, user);
  }

  invite(id: string, by: string, user: string): void {
    const room = this.requireIn(id, by);
    if (room.level(by) < ((room.find('m.room.power_levels') as Levels).invite ?? 0))
      throw forbidden('you may not invite');
    if (!room.isIn(user)) this.#member(room, by, user, 'invite');
  }
  join(id: string, user: string): Room {
    const room = this.require(id);
    if (room.isIn(user)) return room;
    const { join_rule: rule, allow } = (room.find('m.room.join_rules') ?? {}) as {
      join_rule?: string;
      allow?: { room_id: string }[];
    };
    const isLetIn =
      room.membership(user) === 'invite' ||
      rule === 'public' ||
      (rule === 'restricted' && allow?.some((one) => this.all.get(one.room_id)?.isIn(user)));
    if (!isLetIn) throw forbidden('you are not invited');
    this.#member(room, user, user, 'join');
    return room;
  }
  leave(id: string, user: string): void {
    const room = this.require(id);
    if (room.membership(user) === undefined) throw forbidden('you are not in this room');
    this.#member(room, user, user, 'leave');
  }
  remove(id: string, by: string, user: string): void {
    const room = this.requireIn(id, by);
    if (room.level(by) < 50 || room.level(by) <= room.level(user)) throw forbidden('you may not remove them');
    this.#member(room, by, user, 'leave');
  }
  setState(id: string, by: string, type: string, key: string, content: Content): RoomEvent {
    const room = this.requireIn(id, by);
    if (type === 'm.room.member') throw forbidden('people are invited, and come in themselves');
    if (room.level(by) < room.needed(type)) throw forbidden(`it needs the level ${room.needed(type)}`);
    return this.add(room, by, type, content, key);
  }
  /** Gives somebody a level in a room. */
  raise(id: string, by: string, user: string, level: number): void {
    const levels = (this.require(id).find('m.room.power_levels') ?? {}) as Levels;
    this.setState(id, by, 'm.room.power_levels', '', { ...levels, users: { ...levels.users, [user]: level } });
  }
}
