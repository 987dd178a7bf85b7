import { ownUser, userIdOf } from '@underbell/core/channel';
import type { PersonViewer } from '@underbell/core/access';
import type { App } from '../platform/index.ts';
import type { ChatServerRow } from './models.ts';
import { accountsOf } from './store.ts';

/** The accounts that a person has in a chat: those that came in as them, and the one that their address says. */
export async function userIdsOf(app: App, chat: ChatServerRow, person: PersonViewer): Promise<string[]> {
  const linked = (await accountsOf(app, person.id)).filter((one) => one.chatName === chat.name);
  const said = person.isGuest === true ? undefined : userIdOf(person.email, chat);
  const own = ownUser(chat.serverName);
  return [...new Set([...linked.map((one) => one.userId), ...(said === undefined ? [] : [said])])].filter(
    (one) => one !== own,
  );
}
