import { mayPassOn, type PersonViewer } from '@underbell/core/access';
import { findPerson, rightOn } from '../access/index.ts';
import { findPlacement, shownResource } from '../placement/index.ts';
import { recall, type Admission, type App } from '../platform/index.ts';
import { userIdsOf } from './accounts.ts';
import { chatMembers, type ChatServerRow, type ChannelPlacementRow } from './models.ts';
import { findChat, findRoom, findTab } from './store.ts';

/** Whether any of these accounts is in a room. */
export async function isIn(app: App, chatName: string, roomId: string, userIds: readonly string[]): Promise<boolean> {
  if (userIds.length === 0) return false;
  const count = await recall(`members ${JSON.stringify([chatName, roomId, userIds])}`, () =>
    chatMembers(app).count({ where: { chatName, roomId, userId: [...userIds] } }),
  );
  return count > 0;
}

/**
 * Whoever placed a tab, as long as they may pass on what it shows: nobody hands out more than they have, and nobody who has
 * left hands out anything.
 */
export async function grantorOf(app: App, tab: ChannelPlacementRow): Promise<PersonViewer | undefined> {
  const [placement, giver] = await Promise.all([
    findPlacement(app, tab.placementName),
    findPerson(app, { id: tab.giverId }),
  ]);
  if (!placement || !giver) return undefined;
  const { kind, name } = shownResource(placement);
  return mayPassOn(await rightOn(app, giver, kind, name), 'view') ? giver : undefined;
}

const chatOf = (app: App, name: string): Promise<ChatServerRow | undefined> =>
  recall(`chat ${name}`, () => findChat(app, name));

/** Lets the members of a channel in to its tabs, and nobody else. */
export async function grantMemberAccess(
  app: App,
  person: PersonViewer,
  placement: string,
): Promise<Admission | undefined> {
  const tab = await findTab(app, placement);
  if (!tab || tab.state === 'taken away') return undefined;
  const chat = await chatOf(app, tab.chatName);
  if (!chat || !(await isIn(app, chat.name, tab.roomId, await userIdsOf(app, chat, person)))) return undefined;
  const giver = await grantorOf(app, tab);
  if (!giver) return undefined;
  const room = await findRoom(app, chat.name, tab.roomId);
  return { giver, because: `member of ${room?.name ?? 'the channel'}` };
}
