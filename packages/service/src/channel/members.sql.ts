import { querySql, type App } from '../platform/index.ts';

// Thousands of members at once, where a model writes them one by one; and writes that say whether it was they.

/** Somebody in a room, by the name that is shown there. */
export interface RoomMember {
  readonly room: string;
  readonly user: string;
  readonly name: string | null;
}

/** Lets people be in rooms that are known, under these names. */
export async function putMembers(app: App, chat: string, members: readonly RoomMember[]): Promise<void> {
  if (members.length === 0) return;
  await querySql(
    app,
    `INSERT INTO chat_members (chat_name, room_id, user_id, display_name)
     SELECT $chat, m.room, m."user", m.name FROM json_to_recordset($members::json) AS m(room text, "user" text, name text)
     WHERE EXISTS (SELECT FROM chat_rooms r WHERE r.chat_name = $chat AND r.room_id = m.room)
     ON CONFLICT (chat_name, room_id, user_id) DO UPDATE SET display_name = excluded.display_name`,
    { chat, members: JSON.stringify(members) },
  );
}

/** Lets people be in rooms no more. */
export async function dropMembers(
  app: App,
  chat: string,
  members: readonly Pick<RoomMember, 'room' | 'user'>[],
): Promise<void> {
  if (members.length === 0) return;
  await querySql(
    app,
    `DELETE FROM chat_members c USING json_to_recordset($members::json) AS m(room text, "user" text)
     WHERE c.chat_name = $chat AND c.room_id = m.room AND c.user_id = m."user"`,
    { chat, members: JSON.stringify(members) },
  );
}

/** Holds known rooms until the transaction ends, in one order, and counts that something was told of them. @returns which are known */
export async function touchRooms(app: App, chat: string, rooms: readonly string[]): Promise<Set<string>> {
  const found = await querySql<{ room_id: string }>(
    app,
    `UPDATE chat_rooms SET changes = changes + 1 WHERE (chat_name, room_id) IN (
       SELECT chat_name, room_id FROM chat_rooms WHERE chat_name = $chat AND room_id IN (SELECT json_array_elements_text($rooms::json))
       ORDER BY room_id FOR UPDATE)
     RETURNING room_id`,
    { chat, rooms: JSON.stringify(rooms) },
  );
  return new Set(found.map((one) => one.room_id));
}

/** How many are in each room of a chat, without this service's own account. */
export async function countMembers(app: App, chat: string, own: string): Promise<ReadonlyMap<string, number>> {
  const found = await querySql<{ room_id: string; count: string }>(
    app,
    'SELECT room_id, count(*) AS count FROM chat_members WHERE chat_name = $chat AND user_id <> $own GROUP BY room_id',
    { chat, own },
  );
  return new Map(found.map((one) => [one.room_id, Number(one.count)]));
}

/** Lets a process ask a chat what happened, one of them every so often. @returns whether it is this one */
export async function takeLook(app: App, chat: string, everyMs: number): Promise<boolean> {
  const now = new Date(app.now());
  const found = await querySql(
    app,
    'UPDATE chats SET looked_at = $now WHERE name = $chat AND (looked_at IS NULL OR looked_at <= $before) RETURNING 1',
    { chat, now, before: new Date(now.getTime() - everyMs) },
  );
  return found.length > 0;
}

/** Notes that something was told; who tells it a second time meanwhile waits. @returns whether it was not told before */
export async function isNews(app: App, chat: string, toldAs: string): Promise<boolean> {
  const found = await querySql(
    app,
    'INSERT INTO chat_heard (chat_name, told_as, heard_at) VALUES ($chat, $toldAs, $at) ON CONFLICT DO NOTHING RETURNING 1',
    { chat, toldAs, at: new Date(app.now()) },
  );
  return found.length > 0;
}
