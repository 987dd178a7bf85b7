import { addressOf, readUserId, strangerAddress, type UserId } from '@underbell/core/channel';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import type { PersonViewer } from '@underbell/core/access';
import { addPerson, findPerson, findPersonRow, startSession } from '../access/index.ts';
import { limitGuesses, lockResource, remember, requireHost, type App } from '../platform/index.ts';
import { Homeserver } from './homeserver.ts';
import { chatUsers, type ChatServerRow } from './models.ts';
import { findAccount, findChat, roomsOf } from './store.ts';

/** What a chat gives a page of somebody who is signed in there. @see Matrix proposal 1960, "OpenID Connect information exchange for widgets" */
export interface ChatWord {
  readonly chat: string;
  readonly accessToken: string;
  /** The server that says who it is. */
  readonly serverName: string;
  /** The origin of the page around. */
  readonly host?: string | undefined;
}

const unknown = (words = 'The chat did not identify you.') =>
  new Refusal('SIGN_IN_FAILED', words, { hint: 'Close the page and open it again.' });

/** Where the server of that name answers: the chat's own, or one whose people come in as guests. Nobody else is asked. */
function serverOf({ serverName, homeserver, guestServers }: ChatServerRow, asked: string): string | undefined {
  if (asked === serverName) return homeserver;
  return Object.hasOwn(guestServers, asked) ? guestServers[asked] : undefined;
}

/** Who the word is of, by the server that gave it. @throws {Refusal} `SIGN_IN_FAILED`, `CHAT_UNREACHABLE` */
async function accountOf(app: App, chat: ChatServerRow, { accessToken, serverName }: ChatWord): Promise<UserId> {
  const homeserver = serverOf(chat, serverName);
  if (homeserver === undefined) throw unknown('Users of this server have no access through this chat.');
  const server = new Homeserver(app, { homeserver });
  try {
    const path = `/_matrix/federation/v1/openid/userinfo?access_token=${encodeURIComponent(accessToken)}`;
    const user = readUserId((await server.ask<{ sub?: unknown }>('GET', path)).sub);
    // A server speaks for its own people alone.
    if (user?.server === serverName) return user;
    throw unknown();
  } catch (error) {
    if (isRefusal(error, 'CHAT_REFUSED')) throw unknown();
    throw error;
  } finally {
    await server.close();
  }
}

/** Somebody who was never seen here comes in as a guest: what they may see is what their channels show. */
async function takeIn(app: App, chat: ChatServerRow, user: UserId, userId: string): Promise<string> {
  const rooms = await roomsOf(app, chat.name, [userId]);
  if (rooms.length === 0) throw unknown('You are in no channel with content of this service.');
  const name = rooms.find((one) => one.displayName !== null)?.displayName ?? user.local;
  // Not the company's address: whoever keeps people may make them known by that, and they are those from then on.
  const email = strangerAddress(user);
  const id = await addPerson(app, { email, name, passwordHash: null, state: 'guest', organisation: user.server });
  const after = { email, name, chat: chat.name };
  await remember(app, { who: email, what: 'guest added from chat', thing: `person ${email}`, after });
  return id;
}

/**
 * Whom an account stands for: the person with its address at the company, whoever came in by it before, or the guest that it
 * was.
 *
 * @returns nothing for who never came in
 * @throws {Refusal} `SIGN_IN_FAILED` for who has left
 */
async function personIdOf(
  app: App,
  chat: ChatServerRow,
  user: UserId,
  known: string | undefined,
): Promise<string | undefined> {
  const address = addressOf(user, chat);
  const row = address === undefined ? undefined : await findPersonRow(app, { email: address });
  if (row?.state === 'left') throw unknown('Your account is deactivated.');
  if (row?.state === 'active' || row?.state === 'guest') return row.id;
  return known ?? (await findPersonRow(app, { email: strangerAddress(user) }))?.id;
}

/** The person that a member of a channel would come in as; nothing for who cannot be told, or has left. Nobody is taken in. */
export async function memberOf(app: App, chat: ChatServerRow, userId: string): Promise<PersonViewer | undefined> {
  const user = readUserId(userId);
  if (!user || serverOf(chat, user.server) === undefined) return undefined;
  const known = await findAccount(app, chat.name, userId);
  try {
    const id = await personIdOf(app, chat, user, known?.personId);
    return id === undefined ? undefined : await findPerson(app, { id });
  } catch (error) {
    if (!isRefusal(error, 'SIGN_IN_FAILED')) throw error;
    return undefined;
  }
}

/** The person that an account is, who may look at things. @throws {Refusal} `SIGN_IN_FAILED` for who has left, or has no business here */
async function personFor(app: App, chat: ChatServerRow, user: UserId): Promise<PersonViewer> {
  const userId = `@${user.local}:${user.server}`;
  const id = await app.records.transaction(async () => {
    // Two tabs that open at once are one person.
    await lockResource(app, 'chat account', `${chat.name} ${userId}`);
    const known = await findAccount(app, chat.name, userId);
    const personId = (await personIdOf(app, chat, user, known?.personId)) ?? (await takeIn(app, chat, user, userId));
    if (known?.personId !== personId) await chatUsers(app).upsert({ chatName: chat.name, userId, personId });
    return personId;
  });
  const person = await findPerson(app, { id });
  if (!person) throw unknown('Your account is deactivated.');
  return person;
}

/**
 * Signs somebody in whom a chat knows: within the chat, for an hour, and never to administer.
 *
 * @returns the session's key, and who it is
 * @throws {Refusal} `SIGN_IN_FAILED`, `NOT_FOUND`, `CHAT_UNREACHABLE`, `RATE_LIMITED`
 */
export async function signInByChat(app: App, word: ChatWord, origin: string) {
  return limitGuesses(app, 'chat', origin, async () => {
    const chat = await findChat(app, word.chat);
    if (!chat) throw unknown();
    const account = await accountOf(app, chat, word);
    // Nobody is taken in for a page that may not show it; only who is of the chat is told so.
    requireHost(word.host, chat.origins);
    const person = await personFor(app, chat, account);
    const { key, expiresAt } = await startSession(app, person.id, 'chat');
    return { key, expiresAt, name: person.name };
  });
}
