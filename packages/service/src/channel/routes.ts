import Joi from 'joi';
import { announcementEvents } from '@underbell/core/channel';
import { thing } from '../access/index.ts';
import { placedPart } from '../placement/index.ts';
import { defineRoute, hostOf, type Route } from '../platform/index.ts';
import { readRequest, viewQuery, type ViewQuery } from '../view/index.ts';
import { seenTeams } from './channels.ts';
import { addChat, changeChatSetup, compareByHand, removeChat, renewKeys, showChat, shownChats } from './chatServers.ts';
import { signInByChat } from './identity.ts';
import { postView } from './posts.ts';
import { chatBody } from './schemas.ts';
import { removeTab, requireTab, saveTab, seenTabs, tellOfTab } from './channelPlacements.ts';

const about = { tag: 'Channels', audience: 'person' } as const;
const params = Joi.object({ name: thing.required() });
const words = Joi.string().trim().max(2_000).allow('');

const chatRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/chat-servers',
    summary: 'List chat servers',
    handle: async ({ app, person }) => ({ chats: await shownChats(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/chat-servers/:name',
    summary: 'Get a chat server',
    params,
    handle: ({ app, person, params: { name } }) => showChat(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/chat-servers',
    summary: 'Connect a chat server; returns its registration file once',
    status: 201,
    body: chatBody.keys({ name: thing.required() }),
    handle: ({ app, person, body: { name, ...wish }, origin }) => addChat(app, person, name, wish, origin),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/chat-servers/:name',
    summary: 'Update a chat server',
    params,
    body: chatBody,
    handle: ({ app, person, params: { name }, body, origin }) => changeChatSetup(app, person, name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/chat-servers/:name/rotate-keys',
    summary: 'Rotate the keys of a chat server; returns a new registration file',
    params,
    handle: ({ app, person, params: { name }, origin }) => renewKeys(app, person, name, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/chat-servers/:name/sync-members',
    summary: 'Synchronise the members of all channels',
    params,
    handle: ({ app, person, params: { name } }) => compareByHand(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/chat-servers/:name',
    summary: 'Disconnect a chat server; its channel placements stop',
    params,
    status: 204,
    async handle({ app, person, params: { name }, origin }) {
      await removeChat(app, person, name, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    audience: 'anyone',
    path: '/api/v1/chat-servers/:name/session',
    summary: 'Sign in from a chat client',
    params,
    body: Joi.object({
      accessToken: Joi.string().max(2_000).required(),
      serverName: Joi.string().max(255).required().description('server that is the source of the identity'),
    }),
    handle: ({ app, ctx, params: { name }, body, origin }) =>
      signInByChat(app, { chat: name, ...body, host: hostOf(app, ctx) }, origin),
  }),
];

const tabBody = Joi.object({
  chat: thing.required(),
  channel: Joi.string().max(500).required().description('name or room ID of the channel'),
  tab: Joi.string().trim().min(1).max(60).description('name in the channel; default: the title'),
  news: Joi.array()
    .items(Joi.string().valid(...announcementEvents))
    .unique()
    .default([])
    .description('automatic announcements in the channel'),
  tell: words.description('announcement that is sent now; none if absent'),
  shows: placedPart.required().description('content, as in a placement'),
});

const tabRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/channels',
    isRemembered: true,
    summary: 'List spaces and channels that you share with this service',
    handle: async ({ app, person }) => ({ teams: await seenTeams(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/channel-placements',
    isRemembered: true,
    summary: 'List channel placements',
    handle: async ({ app, person }) => ({ tabs: await seenTabs(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/channel-placements/:name',
    summary: 'Get a channel placement',
    params,
    handle: ({ app, person, params: { name } }) => requireTab(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/channel-placements/:name',
    summary: 'Save a channel placement, or move it to another channel',
    params,
    body: tabBody,
    handle: ({ app, person, params: { name }, body, origin }) => saveTab(app, person, { name, ...body }, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/channel-placements/:name',
    summary: 'Delete a channel placement',
    params,
    status: 204,
    async handle({ app, person, params: { name }, origin }) {
      await removeTab(app, person, name, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/channel-placements/:name/announce',
    summary: 'Announce a channel placement in its channel',
    params,
    body: Joi.object({ words: words.default('') }),
    handle: ({ app, person, params: { name }, body, origin }) => tellOfTab(app, person, name, body.words, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/channel-placements/:name/post',
    isForReaders: true,
    summary: 'Send your current view to the channel as a link, with an image where all members see the same data',
    params,
    query: viewQuery,
    body: Joi.object({ words: words.default(''), wantsPicture: Joi.boolean().default(true) }),
    handle: ({ app, ctx, person, params: { name }, query, body, origin }) =>
      postView(app, person, name, { request: readRequest(query as ViewQuery, ctx), ...body }, origin),
  }),
];

export const channelRoutes: Route[] = [...chatRoutes, ...tabRoutes];
