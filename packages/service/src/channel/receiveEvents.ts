import { ownUser, readRoomEvent, type RoomChange } from '@underbell/core/channel';
import { enqueue, type App } from '../platform/index.ts';
import { isNews, touchRooms } from './members.sql.ts';
import type { ChatServerRow } from './models.ts';
import { applyChanges, tellLookers } from './rooms.ts';
import { changeChat, removeRooms } from './store.ts';

/** What happens to this service's own account decides which rooms it knows. */
async function hearOfOwn(app: App, chat: ChatServerRow, changes: readonly RoomChange[]): Promise<void> {
  const own = ownUser(chat.serverName);
  for (const change of changes) {
    if (change.what !== 'member' || change.user !== own) continue;
    const { room } = change;
    if (change.membership === 'invite') await enqueue(app, 'channel.join', { chat: chat.name, room });
    else if (change.membership === 'join') await enqueue(app, 'channel.compare', { chat: chat.name, room });
    else {
      // Whoever put it out sees its tabs there no more, at once.
      await tellLookers(app, chat.name, [room]);
      await removeRooms(app, chat.name, [room]);
    }
  }
}

/**
 * Takes down what a chat's server tells, all of it or nothing; what it tells a second time it told already.
 *
 * @param toldAs - the server's own number of it
 * @see Matrix specification, application service API, "Pushing events"
 */
export async function hear(app: App, chat: ChatServerRow, toldAs: string, events: readonly unknown[]): Promise<void> {
  const changes = events.flatMap((one) => readRoomEvent(one) ?? []);
  await app.records.transaction(async () => {
    if (!(await isNews(app, chat.name, toldAs))) return;
    const known = await touchRooms(app, chat.name, [...new Set(changes.map((one) => one.room))]);
    const counted = changes.filter((one) => known.has(one.room));
    await applyChanges(app, chat, counted);
    await hearOfOwn(app, chat, changes);
    await changeChat(app, chat.name, { heardAt: new Date(app.now()) });
    const decisive = counted.filter((one) => one.what === 'member' || one.what === 'tab');
    await tellLookers(app, chat.name, new Set(decisive.map((one) => one.room)));
  });
}
