import type { PlacedThing } from '../placement/index.ts';

export {
  addressOf,
  isChatAddress,
  isServerName,
  readUserId,
  strangerAddress,
  userIdOf,
  type ChatPeople,
  type UserId,
} from './userIds.ts';
export { isOwner, levelForTabs, levelOf, readPowerLevels, tabEvent, type PowerLevels } from './powerLevels.ts';
export { isRoomId, readRoomEvent, type Membership, type RoomChange } from './roomEvents.ts';
export { compareMembers, isSame, type MemberDifference } from './compareMembers.ts';
export { tabNameFor, tabNameLength } from './placementName.ts';
export { messageOf, type MessageContent, type Post } from './posts.ts';
export { ownUser, registrationFile, type Registration } from './registration.ts';

/** A chat that this service is registered with. `At`: an instant, a `Date` before it is sent. */
export interface ShownChat<At = string> {
  readonly name: string;
  readonly title: string;
  readonly serverName: string;
  /** What only its administrators see. */
  readonly setup?: ChatSetup;
  /** When it told something last. */
  readonly heardAt?: At;
  /** When all members were compared last. */
  readonly comparedAt?: At;
  readonly problem?: ChatProblem;
  readonly teams: number;
  readonly channels: number;
  readonly tabs: number;
}

/** How a chat is reached, and who its people are. */
export interface ChatSetup {
  /** Where its server answers clients. */
  readonly homeserver: string;
  /** `@x` of its own server is whoever has the address x at this domain; null where its accounts are nobody's here. */
  readonly addressDomain: string | null;
  /** Servers of other organisations whose people come in as guests: name -> where the server answers. */
  readonly guestServers: Readonly<Record<string, string>>;
  /** Origins of the pages in which people use it. */
  readonly origins: readonly string[];
}

/** What is wrong with a chat or a tab. */
export interface ChatProblem {
  readonly code: string;
  readonly message: string;
  /** Instant. */
  readonly since: string;
}

/** A channel as somebody meets it who may place tabs, or is in it. */
export interface ShownChannel {
  readonly chat: string;
  /** What the chat calls it by. */
  readonly id: string;
  readonly name: string;
  readonly topic: string;
  readonly members: number;
  /** Whether they own it. */
  readonly isOwner: boolean;
  /** Why no tab can be placed there; nothing where one can. */
  readonly why?: string;
  readonly tabs: readonly { readonly placement: string; readonly name: string }[];
}

/** A team with its channels; channels of none stand in a team without a name. */
export interface ShownTeam {
  readonly chat: string;
  readonly id?: string;
  readonly name: string;
  readonly channels: readonly ShownChannel[];
}

/** What a tab tells its channel by itself. */
export const announcementEvents = ['edition', 'data', 'run'] as const;
export type TabNews = (typeof announcementEvents)[number];

/** A tab of a channel. */
export interface ShownTab<At = string> extends PlacedThing {
  /** Of its placement. */
  readonly placement: string;
  /** In the channel's row of tabs. */
  readonly name: string;
  readonly title: string;
  readonly chat: string;
  readonly channel: { readonly id: string; readonly name: string; readonly team?: string };
  /** `placed`; on its way to the chat; taken away there; or nobody is let in by it any more. */
  readonly state: 'placed' | 'on its way' | 'taken away' | 'closed';
  readonly problem?: ChatProblem;
  readonly news: readonly TabNews[];
  /** Whose right it is that its members see by. */
  readonly by: string | null;
  readonly madeAt: At;
  readonly toldAt?: At;
  readonly members: number;
  readonly link: string;
  /** Whether whoever asks is in the channel. */
  readonly isMember: boolean;
  readonly mayChange: boolean;
}

/** What came of comparing the members of a chat. */
export interface ComparedMembers {
  readonly rooms: number;
  readonly members: number;
  readonly joined: number;
  readonly left: number;
  /** Channels that this service is in no more. */
  readonly gone: number;
}
