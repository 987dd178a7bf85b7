import { isRoomId, tabEvent } from '@underbell/core/channel';
import { isRefusal } from '@underbell/core/refusal';
import { enqueue, type App } from '../platform/index.ts';
import { compareChat, compareRoom } from './syncMembers.ts';
import { clientPath, roomPath, ServerBusy, withServer, type Homeserver } from './homeserver.ts';
import { takeLook } from './members.sql.ts';
import type { ChatServerRow } from './models.ts';
import { findChat, listChats, noteOfChat } from './store.ts';

/** What is told does not always arrive: so often a chat is asked what happened, by one process. */
const lookMs = 5_000;
/** All members are compared so often, whatever was told. */
const compareMs = 10 * 60_000;

const types = [
  'm.room.member',
  'm.room.power_levels',
  'm.room.name',
  'm.room.topic',
  'm.room.create',
  'm.space.child',
  tabEvent,
];
const none = { types: [] as string[] };
/** Of everything that happens in a chat, what decides who sees tabs. @see client-server API, "Filtering" */
const filter = JSON.stringify({
  presence: none,
  account_data: none,
  room: { timeline: { types, limit: 1 }, state: { types }, ephemeral: none, account_data: none },
});

interface Synced {
  readonly next_batch?: unknown;
  readonly rooms?: {
    readonly join?: Readonly<Record<string, { timeline?: { events?: unknown[] }; state?: { events?: unknown[] } }>>;
    readonly invite?: Readonly<Record<string, unknown>>;
    readonly leave?: Readonly<Record<string, unknown>>;
  };
}

/** Rooms of which something is told; a room without any event is only named. */
const told = (joined: NonNullable<Synced['rooms']>['join'] = {}) =>
  Object.entries(joined).flatMap(([room, { timeline, state }]) =>
    (timeline?.events?.length ?? 0) + (state?.events?.length ?? 0) > 0 ? [room] : [],
  );

/**
 * Asks a chat what happened since it was asked last, and compares the rooms of which it tells: what was pushed and did not
 * arrive counts a few seconds later. The first time everything is compared.
 */
async function lookInto(app: App, chat: ChatServerRow, server: Homeserver): Promise<void> {
  const since = chat.since === null ? '' : `&since=${encodeURIComponent(chat.since)}`;
  const path = clientPath(`sync?timeout=0&filter=${encodeURIComponent(filter)}${since}`);
  const found = await server.ask<Synced>('GET', path);
  const { next_batch: next, rooms = {} } = found;
  const isDue = chat.comparedAt === null || chat.comparedAt.getTime() <= app.now() - compareMs;
  if (chat.since === null || isDue) await compareChat(app, chat);
  else
    for (const room of [...told(rooms.join), ...Object.keys(rooms.leave ?? {})])
      await compareRoom(app, chat, server, room);
  for (const room of Object.keys(rooms.invite ?? {})) await enqueue(app, 'channel.join', { chat: chat.name, room });
  if (typeof next === 'string') await noteOfChat(app, chat, { since: next, problem: null });
}

/** What is wrong with a chat is marked once, until it is something else or right again. */
async function noteProblem(app: App, chat: ChatServerRow, error: unknown): Promise<void> {
  if (error instanceof ServerBusy) return;
  if (!isRefusal(error)) throw error;
  const { code, message } = error;
  if (chat.problem?.code === code && chat.problem.message === message) return;
  app.log.warn({ chat: chat.name, code }, message);
  await noteOfChat(app, chat, { problem: { code, message, since: new Date(app.now()).toISOString() } });
}

/**
 * Looks into every chat whose time has come; one that does not answer holds none of the others up.
 *
 * @returns the names of those that this call asked: not those that another process, or another call, looks into just now
 */
export async function syncChats(app: App): Promise<ReadonlySet<string>> {
  const asked = new Set<string>();
  await Promise.all(
    (await listChats(app)).map(async (chat) => {
      if (!(await takeLook(app, chat.name, lookMs))) return;
      await withServer(app, chat, (server) => lookInto(app, chat, server)).catch((error: unknown) =>
        noteProblem(app, chat, error),
      );
      asked.add(chat.name);
    }),
  );
  return asked;
}

/**
 * Comes into a room to which this service was invited. A team brings the channels that are open to its members.
 *
 * @throws {Refusal} `CHAT_UNREACHABLE`, `CHAT_REFUSED`
 */
export async function joinRoom(app: App, chatName: string, room: string): Promise<void> {
  const chat = await findChat(app, chatName);
  if (!chat || !isRoomId(room)) return;
  await withServer(app, chat, async (server) => {
    await server.ask('POST', roomPath(room, 'join'), {});
    await compareRoom(app, chat, server, room);
  });
}
