import { setTimeout } from 'node:timers/promises';
import {
  compareMembers,
  isSame,
  ownUser,
  readRoomEvent,
  type ComparedMembers,
  type MemberDifference,
  type RoomChange,
} from '@underbell/core/channel';
import { isRefusal } from '@underbell/core/refusal';
import { mapConcurrent, type App } from '../platform/index.ts';
import { clientPath, roomPath, ServerBusy, withServer, type Homeserver } from './homeserver.ts';
import { countMembers, dropMembers, putMembers, touchRooms } from './members.sql.ts';
import type { ChatServerRow, RoomRow } from './models.ts';
import { roomChange, tellLookers } from './rooms.ts';
import {
  addRoom,
  changeRoom,
  changeTab,
  findRoom,
  holdRoom,
  isStill,
  listRooms,
  listTabs,
  membersOf,
  noteOfChat,
  putTeamChannels,
  removeRooms,
} from './store.ts';

/** So often a room is asked for again while more is told of it, or another compares it. */
const mostTries = 20;
/** Two that compare the same room at the same pace would undo each other's work for ever. */
const longestPauseMs = 60;
const pause = (tries: number) => setTimeout(Math.random() * longestPauseMs * Math.min(tries, 5));
const atOnce = 8;

/** The whole state of a room as its changes from nothing; nothing for one that this service is not in. */
async function stateOf(server: Homeserver, room: string): Promise<RoomChange[] | undefined> {
  try {
    const events = await server.ask<unknown>('GET', roomPath(room, 'state'));
    return Array.isArray(events) ? events.flatMap((one) => readRoomEvent(one, room) ?? []) : undefined;
  } catch (error) {
    if (isRefusal(error, 'CHAT_REFUSED') && /M_FORBIDDEN|M_NOT_FOUND/.test(error.details.word ?? '')) return undefined;
    throw error;
  }
}

const unknownRoom = { name: '', topic: '', levels: null, makerUser: null, isTeam: false } satisfies Partial<RoomRow>;

/** Tabs that were taken away in the chat while nobody told of it. @returns whether there are any */
async function missTabs(app: App, { chatName, roomId }: RoomRow, state: readonly RoomChange[]): Promise<boolean> {
  const there = new Set(state.flatMap((one) => (one.what === 'tab' && one.isThere ? [one.tab] : [])));
  const gone = (await listTabs(app, { chatName, roomId, state: 'placed' })).filter((one) => !there.has(one.tabId));
  for (const tab of gone) await changeTab(app, tab, { state: 'taken away' });
  return gone.length > 0;
}

/** Makes what is known of a room what was found. @returns nothing where more was told of it since it was asked for */
async function importFile(
  app: App,
  chat: ChatServerRow,
  room: RoomRow,
  state: readonly RoomChange[],
): Promise<MemberDifference | undefined> {
  return app.records.transaction(async () => {
    // What another server said is nothing any more.
    if (!(await isStill(app, chat))) return { joined: [], renamed: [], left: [] };
    // What is told meanwhile waits; what was told since then is newer than what was found.
    // One that gives up counts nothing: of several that compare at once, one is always done.
    if ((await holdRoom(app, chat.name, room.roomId))?.changes !== room.changes) return undefined;
    await touchRooms(app, chat.name, [room.roomId]);
    const found = new Map(
      state.flatMap((one) =>
        one.what === 'member' && one.membership === 'join' ? [[one.user, one.name] as const] : [],
      ),
    );
    const known = new Map((await membersOf(app, chat.name, room.roomId)).map((one) => [one.userId, one.displayName]));
    const difference = compareMembers(known, found);
    const inRoom = (one: { user: string; name: string | null }) => ({ room: room.roomId, ...one });
    await putMembers(app, chat.name, [...difference.joined, ...difference.renamed].map(inRoom));
    await dropMembers(
      app,
      chat.name,
      difference.left.map((user) => ({ room: room.roomId, user })),
    );
    await changeRoom(app, chat.name, room.roomId, { ...unknownRoom, ...roomChange(state) });
    const channels = state.flatMap((one) => (one.what === 'channel' && one.isIn ? [one.channel] : []));
    await putTeamChannels(app, chat.name, room.roomId, channels);
    const isGone = await missTabs(app, room, state);
    if (isGone || !isSame(difference)) await tellLookers(app, chat.name, [room.roomId]);
    return difference;
  });
}

/**
 * Compares what is known of one room with what its chat says now.
 *
 * @returns the difference, which is taken over; nothing for a room that this service is not in
 * @throws {Refusal} `CHAT_UNREACHABLE`, `CHAT_REFUSED`
 * @throws {ServerBusy} where more is told of it than can be compared
 */
export async function compareRoom(
  app: App,
  chat: ChatServerRow,
  server: Homeserver,
  roomId: string,
): Promise<MemberDifference | undefined> {
  await addRoom(app, chat.name, roomId);
  for (let tries = 0; tries < mostTries; tries++) {
    const before = await findRoom(app, chat.name, roomId);
    if (!before) return undefined;
    const state = await stateOf(server, roomId);
    if (state === undefined) {
      await forgetRooms(app, chat, [roomId]);
      return undefined;
    }
    const difference = await importFile(app, chat, before, state);
    if (difference) return difference;
    await pause(tries + 1);
  }
  // Later there is less of it: nothing that waits for this is given up.
  throw new ServerBusy(1_000);
}

/** Rooms that this service is in no more: nobody is let in by being there. */
async function forgetRooms(app: App, chat: ChatServerRow, rooms: readonly string[]): Promise<void> {
  await app.records.transaction(async () => {
    if (!(await isStill(app, chat))) return;
    await removeRooms(app, chat.name, rooms);
    await tellLookers(app, chat.name, rooms);
  });
}

/** The rooms that this service's own account is in. */
async function joinedRooms(server: Homeserver): Promise<string[]> {
  const { joined_rooms: rooms } = await server.ask<{ joined_rooms?: unknown }>('GET', clientPath('joined_rooms'));
  return Array.isArray(rooms) ? rooms.filter((one): one is string => typeof one === 'string') : [];
}

/**
 * Compares all rooms of a chat, takes over what differs, and logs it: what was told went astray, or was never told.
 *
 * @throws {Refusal} `CHAT_UNREACHABLE`, `CHAT_REFUSED`; what was compared until then stays
 */
export async function compareChat(app: App, chat: ChatServerRow): Promise<ComparedMembers> {
  return withServer(app, chat, async (server) => {
    const [joined, known] = await Promise.all([joinedRooms(server), listRooms(app, chat.name)]);
    const gone = known.map((one) => one.roomId).filter((one) => !joined.includes(one));
    if (gone.length > 0) await forgetRooms(app, chat, gone);
    const isNew = new Set(joined.filter((one) => !known.some(({ roomId }) => roomId === one)));
    let [came, left] = [0, 0];
    await mapConcurrent(joined, atOnce, async (room) => {
      const difference = await compareRoom(app, chat, server, room);
      if (!difference || isSame(difference)) return;
      const counts = { joined: difference.joined.length, left: difference.left.length };
      came += counts.joined;
      left += counts.left;
      if (!isNew.has(room))
        app.log.warn({ chat: chat.name, room, ...counts }, 'members were others than what was told');
    });
    await noteOfChat(app, chat, { comparedAt: new Date(app.now()), problem: null });
    const counts = await countMembers(app, chat.name, ownUser(chat.serverName));
    const members = [...counts.values()].reduce((sum, one) => sum + one, 0);
    return { rooms: joined.length, members, joined: came, left, gone: gone.length };
  });
}
