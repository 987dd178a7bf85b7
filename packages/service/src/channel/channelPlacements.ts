import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import { ownUser, tabNameFor, type ShownTab, type TabNews } from '@underbell/core/channel';
import { Refusal } from '@underbell/core/refusal';
import { emailsById, notFound, rightOn, rightsFor } from '../access/index.ts';
import {
  checkPlacement,
  endPlacement,
  findPlacement,
  listPlacements,
  shownResource,
  wishOf,
  writePlacement,
  type Placement,
  type PlacedPart,
} from '../placement/index.ts';
import { enqueue, lockResource, remember, type App } from '../platform/index.ts';
import { grantorOf } from './channelAccess.ts';
import { obstacleIn, requireOwnedChannel, standingOf, type ChatStanding } from './channels.ts';
import { newTabId } from './chatServers.ts';
import { countMembers } from './members.sql.ts';
import { channelTabs, tabsToClear, type RoomRow, type ChannelPlacementRow } from './models.ts';
import { findChat, findRoom, findTab, listChats, listRooms, listTabs, listTeamChannels } from './store.ts';

/** A tab as it is asked for. */
export interface TabWish {
  /** Of its placement. */
  readonly name: string;
  readonly chat: string;
  /** The channel's name, or its own number in the chat. */
  readonly channel: string;
  /** In the row of tabs; made of the title when it is left out. */
  readonly tab?: string | undefined;
  readonly news: readonly TabNews[];
  /** What the channel is told now; nothing is told without. */
  readonly tell?: string | undefined;
  readonly shows: PlacedPart;
}

export const tabLink = (app: App, placement: string): string =>
  `${app.settings.publicUrl}/v/${encodeURIComponent(placement)}`;

const takenName = (name: string) =>
  new Refusal('NAME_TAKEN', `“${name}” is another placement already.`, {
    word: name,
    hint: 'Use another name.',
  });

/** The tab that is changed, which must be one of a channel that the person owns. @throws {Refusal} */
async function requireOwnTab(app: App, person: PersonViewer, name: string): Promise<ChannelPlacementRow | undefined> {
  const tab = await findTab(app, name);
  if (!tab) {
    if (await findPlacement(app, name)) throw takenName(name);
    return undefined;
  }
  if (await mayChange(app, person, tab)) return tab;
  throw takenName(name);
}

/** Whether somebody may change a tab: an owner of its channel; where there is no such channel any more, who may change what it shows. */
async function mayChange(app: App, person: PersonViewer, tab: ChannelPlacementRow): Promise<boolean> {
  const chat = await findChat(app, tab.chatName);
  if (chat && (await standingOf(app, person, chat)).owned.has(tab.roomId)) return true;
  const placement = await findPlacement(app, tab.placementName);
  const thing = placement && shownResource(placement);
  return thing !== undefined && isAtLeast(await rightOn(app, person, thing.kind, thing.name), 'edit');
}

/**
 * Places a tab in a channel, changes one, or moves it to another channel. Its chat follows at once, or as soon as it can be
 * reached.
 *
 * @throws {Refusal} what keeps the person, or this service, from placing it: nothing is saved then
 */
export async function saveTab(app: App, person: PersonViewer, wish: TabWish, origin: string): Promise<ShownTab<Date>> {
  const { name, shows, news, tell } = wish;
  const { chat, room } = await requireOwnedChannel(app, person, wish.chat, wish.channel);
  const obstacle = obstacleIn(chat, room);
  if (obstacle !== undefined)
    throw new Refusal('CHAT_REFUSED', `A placement cannot be added to “${room.name}”.`, {
      pointer: '/channel',
      hint: obstacle,
    });
  const before = await requireOwnTab(app, person, name);
  const checked = await checkPlacement(app, person, wishOf({ name, kind: 'channel', origins: [] }, shows), 'pass on');
  await app.records.transaction(async () => {
    await lockResource(app, 'channel tab', name);
    // What was looked at must be what is there still.
    if ((await findTab(app, name))?.tabId !== before?.tabId)
      throw new Refusal('VERSION_CONFLICT', `Another user saved “${name}” at this moment.`, {
        word: name,
        hint: 'Reload and try again.',
      });
    await writePlacement(app, person, checked, origin);
    const isMoved = before !== undefined && (before.chatName !== chat.name || before.roomId !== room.roomId);
    if (isMoved) await leaveBehind(app, before);
    const row: ChannelPlacementRow = {
      placementName: name,
      chatName: chat.name,
      roomId: room.roomId,
      tabId: before && !isMoved ? before.tabId : newTabId(),
      name: wish.tab ?? before?.name ?? tabNameFor(checked.placement.title),
      giverId: person.id,
      state: 'on its way',
      problem: null,
      news,
      madeAt: before?.madeAt ?? new Date(app.now()),
      toldAt: before && !isMoved ? before.toldAt : null,
      dataToldAt: before && !isMoved ? before.dataToldAt : null,
    };
    await channelTabs(app).upsert(row);
    await enqueue(app, 'channel.tab', { placement: name });
    if (tell !== undefined) await enqueue(app, 'channel.tell', { placement: name, words: tell, by: person.id });
    const { tabId: _id, giverId: _giver, problem: _problem, ...after } = row;
    await remember(app, {
      who: person.email,
      what: 'channel placement saved',
      thing: `placement ${name}`,
      origin,
      before,
      after,
    });
  });
  return (await seenTab(app, person, name))!;
}

/** The tab in the channel that it was moved from goes there. */
async function leaveBehind(app: App, { chatName, roomId, tabId }: ChannelPlacementRow): Promise<void> {
  await tabsToClear(app).create({ chatName, roomId, tabId });
  await enqueue(app, 'channel.clear', {});
}

/** Ends a tab: in its channel, and for everybody who saw it by being there. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function removeTab(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  await requireChangeable(app, person, name);
  await app.records.transaction(async () => {
    await endPlacement(app, person, name, origin);
    await enqueue(app, 'channel.clear', {});
  });
}

/** A tab that somebody may change. @throws {Refusal} `NOT_FOUND` for one that they do not see, `NOT_ALLOWED` */
export async function requireChangeable(app: App, person: PersonViewer, name: string): Promise<ChannelPlacementRow> {
  const seen = await seenTab(app, person, name);
  const tab = seen && (await findTab(app, name));
  if (!tab) {
    const names = (await seenTabs(app, person)).map((one) => one.placement);
    throw notFound('tab', name, names);
  }
  if (seen.mayChange) return tab;
  throw new Refusal('NOT_ALLOWED', `Only owners of channel “${seen.channel.name}” can change its placements.`);
}

/** Tells a channel of a tab, now. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function tellOfTab(app: App, person: PersonViewer, name: string, words: string, origin: string) {
  const tab = await requireChangeable(app, person, name);
  await app.records.transaction(async () => {
    await enqueue(app, 'channel.tell', { placement: name, words, by: person.id });
    await remember(app, {
      who: person.email,
      what: 'announcement sent',
      thing: `placement ${name}`,
      origin,
      after: { words },
    });
  });
  return (await seenTab(app, person, tab.placementName))!;
}

interface Around {
  readonly standings: ReadonlyMap<string, ChatStanding>;
  readonly rooms: ReadonlyMap<string, RoomRow>;
  readonly teams: ReadonlyMap<string, string>;
  readonly members: ReadonlyMap<string, number>;
  readonly emails: ReadonlyMap<string, string>;
  readonly right: ReturnType<typeof rightsFor>;
}

const inChat = (chat: string, room: string) => `${chat} ${room}`;

/** What is read once for all tabs of a list. */
async function around(app: App, person: PersonViewer): Promise<Around> {
  const standings = new Map<string, ChatStanding>();
  const rooms = new Map<string, RoomRow>();
  const teams = new Map<string, string>();
  const members = new Map<string, number>();
  for (const chat of await listChats(app)) {
    const [standing, all, links, counts] = await Promise.all([
      standingOf(app, person, chat),
      listRooms(app, chat.name),
      listTeamChannels(app, chat.name),
      countMembers(app, chat.name, ownUser(chat.serverName)),
    ]);
    standings.set(chat.name, standing);
    for (const room of all) rooms.set(inChat(chat.name, room.roomId), room);
    for (const { teamId, roomId } of links) {
      const team = rooms.get(inChat(chat.name, teamId));
      if (team) teams.set(inChat(chat.name, roomId), team.name);
    }
    for (const [room, count] of counts) members.set(inChat(chat.name, room), count);
  }
  return { standings, rooms, teams, members, emails: await emailsById(app), right: rightsFor(app, person) };
}

async function stateOf(app: App, tab: ChannelPlacementRow, room: RoomRow | undefined): Promise<ShownTab['state']> {
  if (tab.state === 'taken away') return 'taken away';
  if (!room || !(await grantorOf(app, tab))) return 'closed';
  return tab.state;
}

const placedParts = ({ reportName, boardName, page, figure, firstPage, editionNumber }: Placement) => ({
  ...(reportName === null ? {} : { report: reportName }),
  ...(boardName === null ? {} : { board: boardName }),
  ...(page === null ? {} : { page }),
  ...(figure === null ? {} : { figure }),
  ...(firstPage === null ? {} : { firstPage }),
  ...(editionNumber === null ? {} : { edition: editionNumber }),
});

/** A tab as somebody may see it: a member of its channel, or whoever has a right on what it shows. */
async function show(
  app: App,
  { tab, placement }: { readonly tab: ChannelPlacementRow; readonly placement: Placement },
  { standings, rooms, teams, members, emails, right: rightIn }: Around,
): Promise<ShownTab<Date> | undefined> {
  const standing = standings.get(tab.chatName);
  const isMember = standing?.rooms.some((one) => one.roomId === tab.roomId) === true;
  const right = await rightIn(shownResource(placement));
  if (!isMember && right === undefined) return undefined;
  const key = inChat(tab.chatName, tab.roomId);
  const room = rooms.get(key);
  const team = teams.get(key);
  // What its channel is called is told to who is in it, and to who decides about what it shows.
  const isTold = isMember || isAtLeast(right, 'edit');
  return {
    placement: tab.placementName,
    name: tab.name,
    title: placement.title,
    ...placedParts(placement),
    chat: tab.chatName,
    channel: {
      id: isTold ? tab.roomId : '',
      name: isTold ? (room?.name ?? tab.roomId) : 'a channel',
      ...(isTold && team !== undefined ? { team } : {}),
    },
    state: await stateOf(app, tab, room),
    ...(tab.problem ? { problem: tab.problem } : {}),
    news: tab.news,
    by: emails.get(tab.giverId) ?? null,
    madeAt: tab.madeAt,
    ...(tab.toldAt ? { toldAt: tab.toldAt } : {}),
    members: members.get(key) ?? 0,
    link: tabLink(app, tab.placementName),
    isMember,
    mayChange: standing?.owned.has(tab.roomId) === true || isAtLeast(right, 'edit'),
  };
}

async function seenAmong(
  app: App,
  person: PersonViewer,
  tabs: readonly ChannelPlacementRow[],
): Promise<ShownTab<Date>[]> {
  if (tabs.length === 0) return [];
  const [placements, about] = await Promise.all([listPlacements(app), around(app, person)]);
  const byName = new Map(placements.map((one) => [one.name, one]));
  const shown: ShownTab<Date>[] = [];
  for (const tab of tabs) {
    const placement = byName.get(tab.placementName);
    const one = placement && (await show(app, { tab, placement }, about));
    if (one) shown.push(one);
  }
  return shown;
}

export const seenTabs = async (app: App, person: PersonViewer): Promise<ShownTab<Date>[]> =>
  seenAmong(app, person, await listTabs(app));

export async function seenTab(app: App, person: PersonViewer, name: string): Promise<ShownTab<Date> | undefined> {
  return (await seenAmong(app, person, await listTabs(app, { placementName: name })))[0];
}

/** One tab, as its member or whoever has a right on what it shows sees it. @throws {Refusal} `NOT_FOUND` */
export async function requireTab(app: App, person: PersonViewer, name: string): Promise<ShownTab<Date>> {
  const found = await seenTab(app, person, name);
  if (found) return found;
  throw notFound(
    'tab',
    name,
    (await seenTabs(app, person)).map((one) => one.placement),
  );
}

/** Tabs by their channel, for whoever moves or answers them. */
export async function tabWithRoom(app: App, name: string) {
  const tab = await findTab(app, name);
  const chat = tab && (await findChat(app, tab.chatName));
  const room = tab && (await findRoom(app, tab.chatName, tab.roomId));
  return tab && chat && room ? { tab, chat, room } : undefined;
}
