import { randomUUID } from 'node:crypto';
import type { PersonViewer } from '@underbell/core/access';
import { registrationFile, type ChatSetup, type ComparedMembers, type ShownChat } from '@underbell/core/channel';
import { Refusal } from '@underbell/core/refusal';
import { endChatSessions, notFound, requireAdministrator } from '../access/index.ts';
import { checkReach, fingerprint, lockResource, randomKey, remember, type App } from '../platform/index.ts';
import { compareChat } from './syncMembers.ts';
import { sealKey, ServerBusy } from './homeserver.ts';
import { channelTabs, chatRooms, chats, chatUsers, type ChatServerRow } from './models.ts';
import { changeChat, findChat, listChats } from './store.ts';

/** A chat as its administrator says it. */
export interface ChatWish extends ChatSetup {
  readonly title: string;
  readonly serverName: string;
}

async function shown(app: App, chat: ChatServerRow, isWhole: boolean): Promise<ShownChat<Date>> {
  const { name: chatName, title, serverName, heardAt, comparedAt, problem } = chat;
  const [teams, channels, tabs] = await Promise.all([
    chatRooms(app).count({ where: { chatName, isTeam: true } }),
    chatRooms(app).count({ where: { chatName, isTeam: false } }),
    channelTabs(app).count({ where: { chatName } }),
  ]);
  const { homeserver, addressDomain, guestServers, origins } = chat;
  return {
    name: chatName,
    title,
    serverName,
    ...(isWhole ? { setup: { homeserver, addressDomain, guestServers, origins } } : {}),
    ...(heardAt ? { heardAt } : {}),
    ...(comparedAt ? { comparedAt } : {}),
    ...(problem ? { problem } : {}),
    teams,
    channels,
    tabs,
  };
}

/** The chats that this service is registered with; how, is told to administrators. */
export async function shownChats(app: App, person: PersonViewer): Promise<ShownChat<Date>[]> {
  const all = await listChats(app);
  const own = person.isGuest ? await chatsOf(app, person) : undefined;
  const seen = all.filter((one) => own === undefined || own.has(one.name));
  return Promise.all(seen.map((one) => shown(app, one, person.isAdministrator)));
}

/** The chats that a guest came in by: of others they are told nothing. */
async function chatsOf(app: App, person: PersonViewer): Promise<ReadonlySet<string>> {
  const accounts = await chatUsers(app).findAll({ where: { personId: person.id }, raw: true });
  return new Set((accounts as unknown as { chatName: string }[]).map((one) => one.chatName));
}

export async function requireChat(app: App, name: string): Promise<ChatServerRow> {
  const chat = await findChat(app, name);
  if (chat) return chat;
  throw notFound(
    'chat',
    name,
    (await listChats(app)).map((one) => one.name),
  );
}

export async function showChat(app: App, person: PersonViewer, name: string): Promise<ShownChat<Date>> {
  if (person.isGuest && !(await chatsOf(app, person)).has(name)) throw notFound('chat', name, []);
  return shown(app, await requireChat(app, name), person.isAdministrator);
}

async function checkSetup(app: App, { homeserver, guestServers }: ChatWish): Promise<void> {
  for (const address of [homeserver, ...Object.values(guestServers)]) {
    const { hostname, port, protocol } = new URL(address);
    await checkReach(
      { allowedPrivateAddresses: app.settings.allowedPrivateAddresses },
      hostname,
      Number(port || (protocol === 'https:' ? 443 : 80)),
    );
  }
}

/** New keys of a chat, with the file that its server is given; the keys are shown this once. */
function newKeys(app: App, name: string, serverName: string) {
  const [askKey, tellKey] = [randomKey('uba'), randomKey('ubt')];
  const registration = registrationFile({ name, serverName, url: app.settings.publicUrl, askKey, tellKey });
  return { registration, keys: { sealedKey: sealKey(app, askKey), tellFingerprint: fingerprint(tellKey) } };
}

/**
 * Makes this service known to itself as part of a chat.
 *
 * @returns the registration file for the chat's server; its keys are shown this once
 * @throws {Refusal} `NOT_ALLOWED` for others than administrators, `NAME_TAKEN`, `ADDRESS_FORBIDDEN`
 */
export async function addChat(app: App, person: PersonViewer, name: string, wish: ChatWish, origin: string) {
  requireAdministrator(person);
  await checkSetup(app, wish);
  const { registration, keys } = newKeys(app, name, wish.serverName);
  await app.records.transaction(async () => {
    await lockResource(app, 'chat', name);
    if (await findChat(app, name))
      throw new Refusal('NAME_TAKEN', `A chat server named “${name}” already exists.`, { word: name });
    await chats(app).create({ name, ...wish, ...keys, makerId: person.id, madeAt: new Date(app.now()) });
    await remember(app, {
      who: person.email,
      what: 'chat server connected',
      thing: `chat ${name}`,
      origin,
      after: wish,
    });
  });
  return { chat: await showChat(app, person, name), registration };
}

/** Changes a chat. With another server or other addresses nobody is known any more: everybody comes in anew. */
export async function changeChatSetup(
  app: App,
  person: PersonViewer,
  name: string,
  wish: ChatWish,
  origin: string,
): Promise<ShownChat<Date>> {
  requireAdministrator(person);
  await checkSetup(app, wish);
  await app.records.transaction(async () => {
    await lockResource(app, 'chat', name);
    const { title, serverName, homeserver, addressDomain, guestServers, origins } = await requireChat(app, name);
    const before: ChatWish = { title, serverName, homeserver, addressDomain, guestServers, origins };
    const isOther = before.serverName !== wish.serverName || before.homeserver !== wish.homeserver;
    const isAnew = isOther || before.addressDomain !== wish.addressDomain;
    if (isAnew) await chatUsers(app).destroy({ where: { chatName: name } });
    // Whoever another server vouched for does not stay in by that.
    if (isAnew || JSON.stringify(before.guestServers) !== JSON.stringify(wish.guestServers)) await endChatSessions(app);
    // Everything is compared anew; until then nobody is in any channel.
    if (isOther) await chatRooms(app).destroy({ where: { chatName: name } });
    await changeChat(app, name, { ...wish, ...(isOther ? { since: null, comparedAt: null, lookedAt: null } : {}) });
    await remember(app, {
      who: person.email,
      what: 'chat changed',
      thing: `chat ${name}`,
      origin,
      before,
      after: wish,
    });
  });
  return showChat(app, person, name);
}

/** Gives a chat new keys: the ones before open nothing from that moment on. */
export async function renewKeys(app: App, person: PersonViewer, name: string, origin: string) {
  requireAdministrator(person);
  const { serverName } = await requireChat(app, name);
  const { registration, keys } = newKeys(app, name, serverName);
  await app.records.transaction(async () => {
    await changeChat(app, name, keys);
    await endChatSessions(app);
    await remember(app, { who: person.email, what: 'chat server keys rotated', thing: `chat ${name}`, origin });
  });
  return { registration };
}

/** Ends a chat: its tabs let nobody in any more, and it is asked nothing. */
export async function removeChat(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  requireAdministrator(person);
  await requireChat(app, name);
  await app.records.transaction(async () => {
    await chats(app).destroy({ where: { name } });
    await endChatSessions(app);
    await remember(app, { who: person.email, what: 'chat server disconnected', thing: `chat ${name}`, origin });
  });
}

/** Compares all members of a chat now. @throws {Refusal} `CHAT_UNREACHABLE`, `CHAT_REFUSED` */
export async function compareByHand(app: App, person: PersonViewer, name: string): Promise<ComparedMembers> {
  requireAdministrator(person);
  try {
    return await compareChat(app, await requireChat(app, name));
  } catch (error) {
    if (!(error instanceof ServerBusy)) throw error;
    throw new Refusal('CHAT_UNREACHABLE', 'The chat server is busy.', { hint: 'Try again later.' }, { cause: error });
  }
}

export const newTabId = (): string => `underbell-${randomUUID()}`;
