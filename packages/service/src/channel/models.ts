import type { ChatProblem, PowerLevels, TabNews } from '@underbell/core/channel';
import {
  boolean,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  text,
  type RowOf,
} from '../platform/records/index.ts';

/** Chats that this service is registered with. */
export const chats = defineModel('chats', {
  name: key(text()),
  title: text(),
  /** Where its server answers clients. */
  homeserver: text(),
  serverName: text(),
  addressDomain: nullable(text()),
  /** Name -> where the server answers. */
  guestServers: filled(json<Readonly<Record<string, string>>>()),
  /** Of the pages in which people use it. */
  origins: filled(json<readonly string[]>()),
  /** By which its server is asked. */
  sealedKey: text(),
  /** Of the key by which its server tells. */
  tellFingerprint: text(),
  /** Up to where its server was asked what happened. */
  since: nullable(text()),
  /** When a process asked last. */
  lookedAt: nullable(instant()),
  /** When its server told something last. */
  heardAt: nullable(instant()),
  comparedAt: nullable(instant()),
  problem: nullable(json<ChatProblem>()),
  makerId: text(),
  madeAt: instant(),
});
export type ChatServerRow = Readonly<RowOf<typeof chats>>;

/** Teams and channels that this service is in. */
export const chatRooms = defineModel('chat_rooms', {
  chatName: key(refersTo(text(), 'chats', 'chat')),
  roomId: key(text()),
  isTeam: filled(boolean()),
  name: filled(text()),
  topic: filled(text()),
  levels: nullable(json<PowerLevels>()),
  /** Who made it: the only owner while nothing is said of levels. */
  makerUser: nullable(text()),
  /** How often it was told of: what was found before does not count against what was told since. */
  changes: filled(integer()),
});
export type RoomRow = Readonly<RowOf<typeof chatRooms>>;

/** Which channels are in which teams. */
export const teamChannels = defineModel('team_channels', {
  chatName: key(text()),
  teamId: key(text()),
  roomId: key(text()),
});

/** Who is in which team or channel. */
export const chatMembers = defineModel('chat_members', {
  chatName: key(text()),
  roomId: key(text()),
  userId: key(text()),
  displayName: nullable(text()),
});

/** Accounts of chats that came in as somebody. */
export const chatUsers = defineModel('chat_users', {
  chatName: key(refersTo(text(), 'chats', 'chat')),
  userId: key(text()),
  personId: refersTo(text(), 'people', 'person'),
});

/** Placements as tabs of channels. */
export const channelTabs = defineModel('channel_tabs', {
  placementName: key(refersTo(text(), 'placements', 'placement')),
  chatName: refersTo(text(), 'chats', 'chat'),
  roomId: text(),
  /** In the chat. */
  tabId: text(),
  /** In the channel's row of tabs. */
  name: text(),
  /** By whose right its members see it. */
  giverId: text(),
  state: filled(oneOf('on its way', 'placed', 'taken away')),
  problem: nullable(json<ChatProblem>()),
  news: filled(json<readonly TabNews[]>()),
  madeAt: instant(),
  toldAt: nullable(instant()),
  /** When it told of fresh data last. */
  dataToldAt: nullable(instant()),
});
export type ChannelPlacementRow = Readonly<RowOf<typeof channelTabs>>;

/** Tabs that went here and stand in their chat still. */
export const tabsToClear = defineModel('tabs_to_clear', {
  chatName: key(refersTo(text(), 'chats', 'chat')),
  roomId: text(),
  tabId: key(text()),
});

/** What a chat told already. */
export const chatHeard = defineModel('chat_heard', {
  chatName: key(refersTo(text(), 'chats', 'chat')),
  /** The chat's own number of it. */
  toldAs: key(text()),
  heardAt: instant(),
});

export const channelModels = [
  chats,
  chatRooms,
  teamChannels,
  chatMembers,
  chatUsers,
  channelTabs,
  tabsToClear,
  chatHeard,
];
