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
    summary: 'Team chats that this service is part of; how, is told to administrators',
    handle: async ({ app, person }) => ({ chats: await shownChats(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/chat-servers/:name',
    summary: 'One team chat',
    params,
    handle: ({ app, person, params: { name } }) => showChat(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/chat-servers',
    summary: 'Take part in a team chat; answers the registration file for its server once',
    status: 201,
    body: chatBody.keys({ name: thing.required() }),
    handle: ({ app, person, body: { name, ...wish }, origin }) => addChat(app, person, name, wish, origin),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/chat-servers/:name',
    summary: 'Change how a chat is reached and who its people are; with another server everybody comes in anew',
    params,
    body: chatBody,
    handle: ({ app, person, params: { name }, body, origin }) => changeChatSetup(app, person, name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/chat-servers/:name/rotate-keys',
    summary: 'Give a chat new keys, with a new registration file; the ones before end at once',
    params,
    handle: ({ app, person, params: { name }, origin }) => renewKeys(app, person, name, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/chat-servers/:name/sync-members',
    summary: 'Compare the members of all channels with what the chat says now',
    params,
    handle: ({ app, person, params: { name } }) => compareByHand(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/chat-servers/:name',
    summary: 'End a chat: its tabs let nobody in any more',
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
    summary: 'Sign in within a chat, by what it says of whoever is signed in there',
    params,
    body: Joi.object({
      accessToken: Joi.string().max(2_000).required(),
      serverName: Joi.string().max(255).required().description('the server that says it'),
    }),
    handle: ({ app, ctx, params: { name }, body, origin }) =>
      signInByChat(app, { chat: name, ...body, host: hostOf(app, ctx) }, origin),
  }),
];

const tabBody = Joi.object({
  chat: thing.required(),
  channel: Joi.string().max(500).required().description('its name, or its own number in the chat'),
  tab: Joi.string().trim().min(1).max(60).description('its name in the row of tabs; made of the title when left out'),
  news: Joi.array()
    .items(Joi.string().valid(...announcementEvents))
    .unique()
    .default([])
    .description('what it tells its channel by itself'),
  tell: words.description('the channel is told now, with these words; without, it is not told'),
  shows: placedPart.required().description('what is shown, as in a placement'),
});

const tabRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/channels',
    isRemembered: true,
    summary: 'The teams and channels that you are in, and this service, too',
    handle: async ({ app, person }) => ({ teams: await seenTeams(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/channel-placements',
    isRemembered: true,
    summary: 'Tabs of the channels that you are in, and those of what you may see',
    handle: async ({ app, person }) => ({ tabs: await seenTabs(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/channel-placements/:name',
    summary: 'One tab',
    params,
    handle: ({ app, person, params: { name } }) => requireTab(app, person, name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/channel-placements/:name',
    summary: 'Place a tab in a channel of yours, change it, or move it to another channel',
    params,
    body: tabBody,
    handle: ({ app, person, params: { name }, body, origin }) => saveTab(app, person, { name, ...body }, origin),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/channel-placements/:name',
    summary: 'Take a tab out of its channel',
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
    summary: 'Tell the channel about its tab, now',
    params,
    body: Joi.object({ words: words.default('') }),
    handle: ({ app, person, params: { name }, body, origin }) => tellOfTab(app, person, name, body.words, origin),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/channel-placements/:name/post',
    isForReaders: true,
    summary: 'Post what you see in a tab into its channel: a link, and a picture where all its members see the same',
    params,
    query: viewQuery,
    body: Joi.object({ words: words.default(''), wantsPicture: Joi.boolean().default(true) }),
    handle: ({ app, ctx, person, params: { name }, query, body, origin }) =>
      postView(app, person, name, { request: readRequest(query as ViewQuery, ctx), ...body }, origin),
  }),
];

export const channelRoutes: Route[] = [...chatRoutes, ...tabRoutes];
