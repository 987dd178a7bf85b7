import { ownUser, tabEvent } from '@underbell/core/channel';
import { isRefusal, type Refusal } from '@underbell/core/refusal';
import { findPerson } from '../access/index.ts';
import { datasetsIn, findPlacement } from '../placement/index.ts';
import { enqueue, rows, TryLater, type App, type Events, type Job } from '../platform/index.ts';
import { compareRoom } from './syncMembers.ts';
import { roomPath, ServerBusy, withServer } from './homeserver.ts';
import { joinRoom } from './syncChats.ts';
import { touchRooms } from './members.sql.ts';
import { channelTabs, tabsToClear, type ChannelPlacementRow } from './models.ts';
import { tellChannel } from './posts.ts';
import { changeTab, findChat, listTabs, listTeamChannels } from './store.ts';
import { tabWithRoom } from './channelPlacements.ts';

/** A chat that is away for a while is asked again, patiently: nothing that it is to be told is lost by that. */
async function patiently(work: () => Promise<void>): Promise<void> {
  try {
    await work();
  } catch (error) {
    if (error instanceof ServerBusy) throw new TryLater(error.retryAfterMs, { cause: error, isPatient: true });
    if (isRefusal(error, 'CHAT_UNREACHABLE')) throw new TryLater(10_000, { cause: error, isPatient: true });
    throw error;
  }
}

/** Comes into a room; into the channels of a team as well, as far as they let its members in. */
export async function joinJob(app: App, { payload }: Job): Promise<void> {
  const { chat, room, isQuiet } = payload as { chat: string; room: string; isQuiet?: boolean };
  await patiently(async () => {
    try {
      await joinRoom(app, chat, room);
    } catch (error) {
      // Not every channel of a team is open to all of its members, and an invitation may have been taken back.
      if (!isRefusal(error, 'CHAT_REFUSED')) throw error;
      app.log.info({ chat, room, code: error.details.word }, 'a room does not let this service in');
      return;
    }
    if (isQuiet) return;
    const inside = (await listTeamChannels(app, chat)).filter((one) => one.teamId === room);
    for (const one of inside) await enqueue(app, 'channel.join', { chat, room: one.roomId, isQuiet: true });
  });
}

export async function compareJob(app: App, { payload }: Job): Promise<void> {
  const { chat: name, room } = payload as { chat: string; room: string };
  const chat = await findChat(app, name);
  if (chat)
    await patiently(() => withServer(app, chat, async (server) => void (await compareRoom(app, chat, server, room))));
}

const since = (app: App, { code, message }: Refusal) => ({ code, message, since: new Date(app.now()).toISOString() });

/** What the chat is told of a tab. @see Matrix proposal 1236, "Matrix widgets" */
async function widgetOf(app: App, { tab, own }: { readonly tab: ChannelPlacementRow; readonly own: string }) {
  const placement = await findPlacement(app, tab.placementName);
  const { publicUrl } = app.settings;
  return {
    id: tab.tabId,
    type: 'm.custom',
    name: tab.name,
    url: `${publicUrl}/t/${tab.chatName}/${tab.placementName}`,
    creatorUserId: own,
    data: { title: placement?.title ?? tab.name },
  };
}

/** Lets a chat have a tab as it is here. What it refuses is said at the tab. */
export async function tabJob(app: App, { payload }: Job): Promise<void> {
  const { placement } = payload as { placement: string };
  const found = await tabWithRoom(app, placement);
  if (!found || found.tab.state === 'taken away') return;
  const { tab, chat } = found;
  const widget = await widgetOf(app, { tab, own: ownUser(chat.serverName) });
  await patiently(async () => {
    try {
      await withServer(app, chat, (server) =>
        server.ask('PUT', roomPath(tab.roomId, 'state', tabEvent, tab.tabId), widget),
      );
      // Who took it away in the chat meanwhile is not overruled.
      const { placementName, tabId } = tab;
      const where = { placementName, tabId, state: ['on its way', 'placed'] as never };
      await app.records.transaction(async () => {
        // Whoever compares the room by what it was before this tab came looks again, rather than miss it there.
        await touchRooms(app, chat.name, [tab.roomId]);
        await channelTabs(app).update({ state: 'placed', problem: null }, { where });
      });
    } catch (error) {
      if (!isRefusal(error, 'CHAT_REFUSED') && !isRefusal(error, 'CHAT_UNREACHABLE')) throw error;
      await changeTab(app, tab, { problem: since(app, error) });
      if (error.code === 'CHAT_UNREACHABLE') throw error;
    }
  });
}

/** Takes tabs out of their chats that are gone here. */
export async function clearTabs(app: App): Promise<void> {
  for (const { chatName, roomId, tabId } of await rows(tabsToClear(app), { limit: 500 })) {
    const chat = await findChat(app, chatName);
    try {
      if (chat)
        await withServer(app, chat, (server) => server.ask('PUT', roomPath(roomId, 'state', tabEvent, tabId), {}));
    } catch (error) {
      // Where this service is not let in any more, nobody is let in by it either.
      if (!isRefusal(error, 'CHAT_REFUSED')) {
        if (isRefusal(error) || error instanceof ServerBusy) continue;
        throw error;
      }
    }
    await tabsToClear(app).destroy({ where: { chatName, tabId } });
  }
}

/** Tells a channel what somebody wants it told. */
export async function tellJob(app: App, { id, payload }: Job): Promise<void> {
  const { placement, words, by, number } = payload as {
    placement: string;
    words: string;
    by?: string;
    number?: string;
  };
  const teller = by === undefined ? undefined : await findPerson(app, { id: by });
  const said = teller ? `${words === '' ? 'A tab for this channel:' : words}\n${teller.name}` : words;
  await patiently(async () => {
    try {
      await tellChannel(app, placement, number ?? `tell-${id}`, { words: said });
      await changeTab(app, { placementName: placement }, { toldAt: new Date(app.now()) });
    } catch (error) {
      if (!isRefusal(error, 'CHAT_REFUSED')) throw error;
      await changeTab(app, { placementName: placement }, { problem: since(app, error) });
    }
  });
}

/** Fresh data is told of this often at most. */
const dataEveryMs = 60 * 60_000;

/** @param of - what is told: heard of twice, it is told once */
async function tellTabs(app: App, tabs: readonly ChannelPlacementRow[], words: string, of: string): Promise<void> {
  for (const { placementName: placement, tabId } of tabs)
    await enqueue(app, 'channel.tell', { placement, words, number: `${of} ${tabId}` });
}

const withNews = async (app: App, news: ChannelPlacementRow['news'][number]): Promise<ChannelPlacementRow[]> =>
  (await listTabs(app)).filter((one) => one.news.includes(news) && one.state === 'placed');

/** A new edition is told to the channels that want to hear of it. */
export async function hearEdition(app: App, { payload }: Job): Promise<void> {
  const { name, edition } = payload as Events['report.published'];
  const tabs: ChannelPlacementRow[] = [];
  for (const tab of await withNews(app, 'edition')) {
    const placement = await findPlacement(app, tab.placementName);
    // What stays with an edition is what it was.
    if (placement?.reportName === name && placement.editionNumber === null) tabs.push(tab);
  }
  await tellTabs(app, tabs, `There is a new edition (${edition}).`, `edition ${name} ${edition}`);
}

/** Fresh data is told to the channels that want to hear of it, now and then. */
export async function hearData(app: App, { payload }: Job): Promise<void> {
  const { name } = payload as Events['dataset.refreshed'];
  const now = app.now();
  for (const tab of await withNews(app, 'data')) {
    if (tab.dataToldAt !== null && tab.dataToldAt.getTime() > now - dataEveryMs) continue;
    const placement = await findPlacement(app, tab.placementName);
    if (!placement || !(await datasetsIn(app, placement)).includes(name)) continue;
    await app.records.transaction(async () => {
      await channelTabs(app).update({ dataToldAt: new Date(now) }, { where: { placementName: tab.placementName } });
      await tellTabs(app, [tab], 'There is fresh data.', `data ${name} ${now}`);
    });
  }
}

/** What a channel hears of a run, by how it ended. */
const runWords = {
  done: 'Copies of this report were sent.',
  partly: 'Copies of this report were sent; some could not be delivered.',
  failed: 'Copies of this report could not be sent.',
  stopped: 'Sending copies of this report was stopped.',
} as const;

/** That copies of a report went out is told to the channels that want to hear of it. */
export async function hearRun(app: App, { payload }: Job): Promise<void> {
  const { run, burst, state } = payload as Events['run.finished'];
  for (const tab of await withNews(app, 'run')) {
    const placement = await findPlacement(app, tab.placementName);
    if (placement?.reportName === undefined || placement.reportName === null) continue;
    const uses = await app.things.dependentsOf({ kind: 'report', name: placement.reportName });
    if (!uses.some(({ by }) => by.kind === 'burst' && by.name === burst)) continue;
    const words = runWords[state as keyof typeof runWords];
    if (words !== undefined) await tellTabs(app, [tab], words, `run ${run}`);
  }
}
