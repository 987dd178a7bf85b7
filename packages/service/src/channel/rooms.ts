import { ownUser, type RoomChange } from '@underbell/core/channel';
import { announce, changeRecordVersion, type App } from '../platform/index.ts';
import { dropMembers, putMembers, type RoomMember } from './members.sql.ts';
import type { ChatServerRow, RoomRow } from './models.ts';
import { changeRoom, changeTab, listTabs, putTeamChannel } from './store.ts';

type MemberChange = Extract<RoomChange, { what: 'member' }>;

/** Who is in and who is out after some changes, of which the last about somebody counts. */
function lastOf(changes: readonly MemberChange[]): { joined: RoomMember[]; left: RoomMember[] } {
  const last = new Map(changes.map((one) => [`${one.room} ${one.user}`, one]));
  const joined: RoomMember[] = [];
  const left: RoomMember[] = [];
  for (const { room, user, name, membership } of last.values())
    (membership === 'join' ? joined : left).push({ room, user, name });
  return { joined, left };
}

/** What a room itself is after some changes. */
export function roomChange(changes: readonly RoomChange[]): Partial<RoomRow> {
  const change: { -readonly [Name in keyof RoomRow]?: RoomRow[Name] } = {};
  for (const one of changes) {
    if (one.what === 'name') change.name = one.text;
    else if (one.what === 'topic') change.topic = one.text;
    else if (one.what === 'levels') change.levels = one.levels;
    else if (one.what === 'made') {
      change.makerUser = one.maker;
      change.isTeam = one.isTeam;
    }
  }
  return change;
}

/** What a chat tells of its tabs counts where somebody else than this service took one away. */
async function hearOfTabs(app: App, chat: ChatServerRow, changes: readonly RoomChange[]): Promise<void> {
  for (const change of changes) {
    if (change.what !== 'tab' || change.isThere || change.by === ownUser(chat.serverName)) continue;
    const where = { chatName: chat.name, roomId: change.room, tabId: change.tab };
    for (const tab of await listTabs(app, where)) await changeTab(app, tab, { state: 'taken away' });
  }
}

/** Writes down what changed in rooms that are known, in the order in which it was told. */
export async function applyChanges(app: App, chat: ChatServerRow, changes: readonly RoomChange[]): Promise<void> {
  const { joined, left } = lastOf(changes.filter((one) => one.what === 'member'));
  await putMembers(app, chat.name, joined);
  await dropMembers(app, chat.name, left);
  for (const room of new Set(changes.map((one) => one.room))) {
    const of = changes.filter((one) => one.room === room);
    const change = roomChange(of);
    if (Object.keys(change).length > 0) await changeRoom(app, chat.name, room, change);
    for (const one of of)
      if (one.what === 'channel') await putTeamChannel(app, chat.name, room, { roomId: one.channel, isIn: one.isIn });
  }
  await hearOfTabs(app, chat, changes);
}

/**
 * Lets everybody who looks at tabs of rooms look again: whoever is in them may see them, and nobody else. It is the last act of
 * a transaction.
 */
export async function tellLookers(app: App, chatName: string, rooms: Iterable<string>): Promise<void> {
  const tabs = await listTabs(app, { chatName, roomId: [...rooms] as never });
  if (tabs.length === 0) return;
  for (const tab of tabs) await announce(app, { kind: 'placement', name: tab.placementName });
  await changeRecordVersion(app);
}
