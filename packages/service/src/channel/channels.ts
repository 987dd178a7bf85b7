import type { PersonViewer } from '@underbell/core/access';
import { isOwner, ownUser, type ShownChannel, type ShownTeam } from '@underbell/core/channel';
import { Refusal, suggest } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { userIdsOf } from './accounts.ts';
import { requireChat } from './chatServers.ts';
import { countMembers } from './members.sql.ts';
import type { ChatServerRow, RoomRow, ChannelPlacementRow } from './models.ts';
import { listChats, listRooms, listTabs, listTeamChannels, roomsOf } from './store.ts';

/** A person in a chat: the rooms that they are in, and which of them they own. */
export interface ChatStanding {
  readonly chat: ChatServerRow;
  readonly rooms: readonly RoomRow[];
  readonly owned: ReadonlySet<string>;
}

/** Where a person stands in a chat: rooms that they are not in are not told of. */
export async function standingOf(app: App, person: PersonViewer, chat: ChatServerRow): Promise<ChatStanding> {
  const accounts = await userIdsOf(app, chat, person);
  // One after the other: it is also asked within a transaction.
  const mine = await roomsOf(app, chat.name, accounts);
  const all = await listRooms(app, chat.name);
  const byRoom = new Map(mine.map((one) => [one.roomId, mine.filter((other) => other.roomId === one.roomId)]));
  const rooms = all.filter((one) => byRoom.has(one.roomId));
  const owned = rooms.filter(({ roomId, levels, makerUser }) =>
    byRoom.get(roomId)!.some(({ userId }) => isOwner(levels, userId, makerUser)),
  );
  return { chat, rooms, owned: new Set(owned.map((one) => one.roomId)) };
}

/** Why this service can place no tab in a room; nothing where it can. */
export function obstacleIn(chat: ChatServerRow, { levels, makerUser }: RoomRow): string | undefined {
  const own = ownUser(chat.serverName);
  return isOwner(levels, own, makerUser) ? undefined : `An owner of the channel must make ${own} a moderator.`;
}

function shownChannel(
  { chat, owned }: ChatStanding,
  room: RoomRow,
  members: number,
  tabs: readonly ChannelPlacementRow[],
): ShownChannel {
  const why = owned.has(room.roomId) ? obstacleIn(chat, room) : 'Only owners of the channel can add placements.';
  return {
    chat: chat.name,
    id: room.roomId,
    name: room.name === '' ? room.roomId : room.name,
    topic: room.topic,
    members,
    isOwner: owned.has(room.roomId),
    ...(why === undefined ? {} : { why }),
    tabs: tabs
      .filter((one) => one.roomId === room.roomId && one.state !== 'taken away')
      .map(({ placementName, name }) => ({ placement: placementName, name })),
  };
}

async function teamsIn(app: App, person: PersonViewer, chat: ChatServerRow): Promise<ShownTeam[]> {
  const standing = await standingOf(app, person, chat);
  if (standing.rooms.length === 0) return [];
  const [links, counts, tabs] = await Promise.all([
    listTeamChannels(app, chat.name),
    countMembers(app, chat.name, ownUser(chat.serverName)),
    listTabs(app, { chatName: chat.name }),
  ]);
  const channels = standing.rooms.filter((one) => !one.isTeam);
  const show = (room: RoomRow) => shownChannel(standing, room, counts.get(room.roomId) ?? 0, tabs);
  const teams = standing.rooms
    .filter((one) => one.isTeam)
    .map((team) => {
      const inside = links.filter((one) => one.teamId === team.roomId).map((one) => one.roomId);
      const of = channels.filter((one) => inside.includes(one.roomId));
      return { chat: chat.name, id: team.roomId, name: team.name, channels: of.map(show) };
    });
  const placed = new Set(teams.flatMap((team) => team.channels.map((one) => one.id)));
  const alone = channels.filter((one) => !placed.has(one.roomId)).map(show);
  return [...teams, ...(alone.length > 0 ? [{ chat: chat.name, name: '', channels: alone }] : [])];
}

/** The teams and channels that a person is in and this service, too. */
export async function seenTeams(app: App, person: PersonViewer): Promise<ShownTeam[]> {
  return (await Promise.all((await listChats(app)).map((chat) => teamsIn(app, person, chat)))).flat();
}

/**
 * A channel whose tabs a person may change.
 *
 * @param channel - its name in the chat, or its own number there
 * @throws {Refusal} `NOT_FOUND` for one that they are not in, `NOT_ALLOWED` for one that they do not own, `INPUT_INVALID` for a
 *   name that several have, `CHAT_REFUSED` where this service may place no tab
 */
export async function requireOwnedChannel(app: App, person: PersonViewer, chatName: string, channel: string) {
  const chat = await requireChat(app, chatName);
  const { rooms, owned } = await standingOf(app, person, chat);
  const channels = rooms.filter((one) => !one.isTeam);
  const byId = channels.filter((one) => one.roomId === channel);
  const found = byId.length > 0 ? byId : channels.filter((one) => one.name === channel);
  const [room] = found;
  if (!room)
    throw new Refusal('NOT_FOUND', `You share no channel “${channel}” with this service.`, {
      pointer: '/channel',
      word: channel,
      ...suggest(
        channel,
        channels.map((one) => one.name),
      ),
    });
  if (found.length > 1)
    throw new Refusal('INPUT_INVALID', `Several channels are named “${channel}”.`, {
      pointer: '/channel',
      word: channel,
      hint: `Specify one: ${found.map((one) => one.roomId).join(', ')}`,
    });
  if (!owned.has(room.roomId))
    throw new Refusal('NOT_ALLOWED', `Only owners of channel “${room.name}” can change its placements.`, {
      pointer: '/channel',
    });
  return { chat, room };
}
