import type { PersonViewer } from '@underbell/core/access';
import { messageOf, ownUser, type Post } from '@underbell/core/channel';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { findPlacement, preparePlacement, type Placement } from '../placement/index.ts';
import { countAttempt, remember, type App } from '../platform/index.ts';
import { drawPng } from '../render/index.ts';
import { limitWords, sceneOf, seesTheSame, type PreparedView, type ViewRequest } from '../view/index.ts';
import { grantMemberAccess } from './channelAccess.ts';
import { memberOf } from './identity.ts';
import { roomPath, withServer, type Homeserver } from './homeserver.ts';
import type { ChatServerRow, ChannelPlacementRow } from './models.ts';
import { membersOf } from './store.ts';
import { tabLink, tabWithRoom } from './channelPlacements.ts';

/** Sends one message into a channel. What is sent under a number that was sent before is the same message still. */
export async function sendMessage(server: Homeserver, room: string, number: string, content: object): Promise<void> {
  await server.ask('PUT', roomPath(room, 'send', 'm.room.message', number), content);
}

/** Uploads a picture, and says where it lies in the chat. @see client-server API, "Content repository" */
async function upload(server: Homeserver, png: Buffer): Promise<string> {
  const path = '/_matrix/media/v3/upload?filename=figures.png';
  const { content_uri: uri } = await server.ask<{ content_uri?: unknown }>('POST', path, png, 'image/png');
  if (typeof uri === 'string' && uri.startsWith('mxc://')) return uri;
  throw new Refusal('CHAT_REFUSED', 'The chat server did not return the URL of the image.');
}

/** Tells a channel about one of its tabs. */
export async function tellChannel(app: App, name: string, number: string, post: Omit<Post, 'link' | 'title'>) {
  const [found, placement] = await Promise.all([tabWithRoom(app, name), findPlacement(app, name)]);
  if (!found || !placement || found.tab.state === 'taken away') return;
  const content = messageOf({ ...post, title: placement.title, link: tabLink(app, name) });
  await withServer(app, found.chat, (server) => sendMessage(server, found.tab.roomId, number, content));
}

/** What somebody sees in a tab, as they post it into its channel. */
export interface ViewPost {
  readonly request: ViewRequest;
  readonly words: string;
  readonly wantsPicture: boolean;
}

/** More members are not looked at one by one, and whether all see the same is not known: then there is no picture. */
const mostMembers = 200;
/** Everybody who may look at a channel's tabs, as they would come in; nothing where one of them cannot be told. */
async function membersFor(app: App, chat: ChatServerRow, roomId: string): Promise<PersonViewer[] | undefined> {
  const own = ownUser(chat.serverName);
  const users = (await membersOf(app, chat.name, roomId)).map((one) => one.userId).filter((one) => one !== own);
  if (users.length > mostMembers) return undefined;
  const people = await Promise.all(users.map((userId) => memberOf(app, chat, userId)));
  const known = people.flatMap((one) => one ?? []);
  return known.length < users.length ? undefined : known;
}

/** Whether every member of a channel sees in these figures what the poster sees: only then is a picture theirs to see. */
async function isForAll(
  app: App,
  chat: ChatServerRow,
  tab: ChannelPlacementRow,
  mine: PreparedView,
  request: ViewRequest,
): Promise<boolean> {
  const members = await membersFor(app, chat, tab.roomId);
  if (!members) return false;
  for (const member of members) {
    try {
      const theirs = await preparePlacement(app, tab.placementName, { person: member, isExpected: true }, request);
      if (!seesTheSame(mine, theirs)) return false;
    } catch (error) {
      if (isRefusal(error)) return false;
      throw error;
    }
  }
  return true;
}

/** What the poster may say of what they see: limits in words, where everybody sees them. */
const notesOf = (view: PreparedView, isOpen: boolean): string[] => (isOpen ? limitWords(view) : []);

/** The address that shows a page with its filters to whoever may see it. */
function addressFor(app: App, placement: Placement, { page, where, parameters }: ViewRequest): string {
  const search = new URLSearchParams();
  for (const [name, values] of Object.entries(parameters)) for (const value of values) search.append(name, value);
  if (page !== undefined) search.set('page', page);
  if (where !== undefined) search.set('where', where);
  const query = search.toString();
  return `${tabLink(app, placement.name)}${query === '' ? '' : `?${query}`}`;
}

/**
 * Posts what somebody sees in a tab into its channel: a link that holds page and filters, for each under their own rights; and a
 * picture where all of its members see the same.
 *
 * @returns whether there is a picture, and why there is none
 * @throws {Refusal} `NOT_FOUND` for who is not in the channel, `CHAT_UNREACHABLE`, `RATE_LIMITED`; what is wrong with page and filter
 */
export async function postView(app: App, person: PersonViewer, name: string, post: ViewPost, origin: string) {
  const { request, words, wantsPicture } = post;
  const [found, placement] = await Promise.all([tabWithRoom(app, name), findPlacement(app, name)]);
  // Whoever is not in the channel posts nothing into it, whatever they may see of the report.
  if (!found || !placement || !(await grantMemberAccess(app, person, name)))
    throw new Refusal('NOT_FOUND', `You share no channel with the placement “${name}”.`, { word: name });
  await countAttempt(app, 'post', person.id);
  const { tab, chat } = found;
  const view = placement.boardName === null ? await preparePlacement(app, name, { person }, request) : undefined;
  const isOpen = view !== undefined && (await isForAll(app, chat, tab, view, request));
  const png = wantsPicture && view && isOpen ? drawPng(await sceneOf(app, view, undefined)) : undefined;
  const content = messageOf({
    by: person.name,
    words,
    title: placement.title,
    link: addressFor(app, placement, request),
    ...(view ? { notes: notesOf(view, isOpen) } : {}),
  });
  const number = `post-${app.now()}-${person.id}`;
  await withServer(app, chat, async (server) => {
    await sendMessage(server, tab.roomId, number, content);
    if (png === undefined) return;
    const url = await upload(server, png);
    const info = { mimetype: 'image/png', size: png.length };
    await sendMessage(server, tab.roomId, `${number}-picture`, {
      msgtype: 'm.image',
      body: `${placement.title}.png`,
      url,
      info,
    });
  });
  await app.records.transaction(() =>
    remember(app, {
      who: person.email,
      what: 'sent to a channel',
      thing: `placement ${name}`,
      origin,
      after: { hasPicture: png !== undefined },
    }),
  );
  return {
    hasPicture: png !== undefined,
    ...(wantsPicture && png === undefined
      ? { why: view ? 'members of the channel see different data' : 'a board is sent as a link' }
      : {}),
  };
}
