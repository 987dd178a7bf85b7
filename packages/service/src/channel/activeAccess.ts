import type { AccessProvider } from '../platform/index.ts';
import { removeChat } from './chatServers.ts';
import { emailsById } from '../access/index.ts';
import { listChats } from './store.ts';

/** Chats whose servers tell who is in which channel. */
export const chatDoors: AccessProvider = {
  kind: 'chat',
  async list(app, person) {
    if (!person.isAdministrator) return [];
    const [all, emails] = await Promise.all([listChats(app), emailsById(app)]);
    return all.map((one) => ({
      id: one.name,
      title: one.title,
      to: `the server of ${one.serverName}`,
      limits: 'says who is in which channel, and who somebody is within the chat; nobody administers by it',
      madeBy: emails.get(one.makerId) ?? null,
      madeAt: one.madeAt,
      lastUsedAt: one.heardAt,
      endsAt: null,
      ending: 'Its channel placements stop working and guests from it lose access.',
      mayEnd: true,
    }));
  },
  end: removeChat,
};
