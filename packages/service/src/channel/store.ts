import { Transaction } from 'sequelize';
import { all, one, recall, rows, type App } from '../platform/index.ts';
import {
  channelTabs,
  chatMembers,
  chatRooms,
  chats,
  chatUsers,
  teamChannels,
  type ChatServerRow,
  type RoomRow,
  type ChannelPlacementRow,
} from './models.ts';

export const findChat = (app: App, name: string): Promise<ChatServerRow | undefined> => one(chats(app).findByPk(name));
export const listChats = (app: App): Promise<ChatServerRow[]> => rows(chats(app), { order: ['name'] });
export const findChatByKey = (app: App, tellFingerprint: string): Promise<ChatServerRow | undefined> =>
  one(chats(app).findOne({ where: { tellFingerprint } }));

export async function changeChat(app: App, name: string, change: Partial<ChatServerRow>): Promise<void> {
  await chats(app).update(change, { where: { name } });
}

export const findRoom = (app: App, chatName: string, roomId: string): Promise<RoomRow | undefined> =>
  one(chatRooms(app).findOne({ where: { chatName, roomId } }));
/** A room that is held until the transaction ends. */
export const holdRoom = (app: App, chatName: string, roomId: string): Promise<RoomRow | undefined> =>
  one(chatRooms(app).findOne({ where: { chatName, roomId }, lock: Transaction.LOCK.UPDATE }));
export const listRooms = (app: App, chatName: string): Promise<RoomRow[]> =>
  rows(chatRooms(app), { where: { chatName }, order: ['name', 'roomId'] });

/**
 * Whether a chat is still the one that was asked. It is not held: whoever gives it another server takes its rooms away, and waits
 * for those that are written to.
 */
export async function isStill(app: App, { name, serverName, homeserver }: ChatServerRow): Promise<boolean> {
  return (await chats(app).count({ where: { name, serverName, homeserver } })) > 0;
}

/** Writes down what came of asking a chat, as long as it is the one that was asked. */
export async function noteOfChat(
  app: App,
  { name, serverName, homeserver }: ChatServerRow,
  change: Partial<ChatServerRow>,
): Promise<void> {
  await chats(app).update(change, { where: { name, serverName, homeserver } });
}

/** Takes a room up, if it is not known. */
export async function addRoom(app: App, chatName: string, roomId: string): Promise<void> {
  await chatRooms(app).bulkCreate([{ chatName, roomId }], { ignoreDuplicates: true });
}
export async function changeRoom(app: App, chatName: string, roomId: string, change: Partial<RoomRow>): Promise<void> {
  await chatRooms(app).update(change, { where: { chatName, roomId } });
}
export async function removeRooms(app: App, chatName: string, roomIds: readonly string[]): Promise<void> {
  await chatRooms(app).destroy({ where: { chatName, roomId: [...roomIds] } });
}

export const listTeamChannels = (app: App, chatName: string) => rows(teamChannels(app), { where: { chatName } });
export async function putTeamChannels(
  app: App,
  chatName: string,
  teamId: string,
  channels: readonly string[],
): Promise<void> {
  await teamChannels(app).destroy({ where: { chatName, teamId } });
  await teamChannels(app).bulkCreate(channels.map((roomId) => ({ chatName, teamId, roomId })));
}
export async function putTeamChannel(
  app: App,
  chatName: string,
  teamId: string,
  { roomId, isIn }: { readonly roomId: string; readonly isIn: boolean },
): Promise<void> {
  const row = { chatName, teamId, roomId };
  if (isIn) await teamChannels(app).bulkCreate([row], { ignoreDuplicates: true });
  else await teamChannels(app).destroy({ where: row });
}

export const membersOf = (app: App, chatName: string, roomId: string) =>
  rows(chatMembers(app), { where: { chatName, roomId } });

/** The rooms of a chat that somebody is in, by any of their accounts. */
export const roomsOf = async (app: App, chatName: string, userIds: readonly string[]) =>
  userIds.length === 0 ? [] : rows(chatMembers(app), { where: { chatName, userId: [...userIds] } });

/** Accounts that came in as a person. */
export const accountsOf = (app: App, personId: string) =>
  recall(`chat accounts of ${personId}`, () => rows(chatUsers(app), { where: { personId } }));
export const findAccount = (app: App, chatName: string, userId: string) =>
  one(chatUsers(app).findOne({ where: { chatName, userId } }));

export const findTab = (app: App, placementName: string): Promise<ChannelPlacementRow | undefined> =>
  recall(`tab ${placementName}`, () => one(channelTabs(app).findByPk(placementName)));
export const listTabs = (app: App, where: Partial<ChannelPlacementRow> = {}): Promise<ChannelPlacementRow[]> =>
  all(channelTabs(app).findAll({ where, order: ['placementName'] }));

/** Writes down what became of a tab, as long as it is the one that was meant. @returns whether it is */
export async function changeTab(
  app: App,
  { placementName, tabId }: Pick<ChannelPlacementRow, 'placementName'> & Partial<ChannelPlacementRow>,
  change: Partial<ChannelPlacementRow>,
): Promise<boolean> {
  const [count] = await channelTabs(app).update(change, {
    where: { placementName, ...(tabId === undefined ? {} : { tabId }) },
  });
  return count > 0;
}
