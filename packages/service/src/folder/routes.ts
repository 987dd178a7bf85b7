import Joi from 'joi';
import {
  trashableKinds,
  kindInfo,
  foldedKinds,
  peopleKinds,
  renamedKinds,
  deletableKinds,
  type PeopleKind,
} from '@underbell/core/access';
import { listFolders, thing, visibleNames, webOrigin } from '../access/index.ts';
import { defineRoute, type Route, hostOf } from '../platform/index.ts';
import { saveFolderPage, showCollection, showFolderPage } from './folderPage.ts';
import { moveToFolder, saveFolder } from './moves.ts';
import { dropFormerName, rename, seenFormerNames } from './rename.ts';
import { takeAway } from './delete.ts';
import { atHand, bin, contents, dependents, find, keepAtHand, looked, restore, seenBin } from './usecases.ts';

const about = { tag: 'Folders', audience: 'person' } as const;
const mark = Joi.object({
  kind: Joi.string()
    .valid(...trashableKinds)
    .required(),
  name: thing.required(),
});
/** Said where people gain rights by a move. */
const confirmed = Joi.object({ confirmed: Joi.boolean().default(false) });

export const folderRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/folders',
    tag: 'Folders',
    audience: 'person',
    summary: 'List folders',
    async handle({ app, person }) {
      const all = await listFolders(app);
      const seen = await visibleNames(
        app,
        person,
        'folder',
        all.map((one) => one.name),
      );
      return { folders: all.filter((one) => seen.includes(one.name)) };
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/folders/:name',
    tag: 'Folders',
    audience: 'person',
    summary: 'Save a folder',
    params: Joi.object({ name: thing.required() }),
    query: confirmed,
    body: Joi.object({
      title: Joi.string().trim().min(1).max(200).required(),
      parentName: thing.allow(null).default(null),
    }),
    async handle({ app, person, params, query, body, origin }) {
      const folder = { ...params, ...body };
      await saveFolder(app, person, { ...folder, isConfirmed: query.confirmed }, origin);
      return { folder };
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/folders/:name/page',
    summary: 'Get the definition of a folder page',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, person, params }) => showFolderPage(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/folders/:name/page',
    summary: 'Save a folder page: text, order, thumbnails and allowed origins',
    params: Joi.object({ name: thing.required() }),
    body: Joi.object({
      words: Joi.string().trim().max(4000).allow('').default(''),
      order: Joi.array().items(Joi.string().max(100)).max(200).unique().default([]),
      hasPictures: Joi.boolean().default(true),
      origins: Joi.array().items(webOrigin).max(50).default([]),
    }),
    handle: ({ app, person, params, body, origin }) => saveFolderPage(app, person, params.name, body, origin),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/folders/:name/contents',
    summary: 'Get a folder page with the items that you can view',
    params: Joi.object({ name: thing.required() }),
    handle: ({ app, ctx, person, params }) => showCollection(app, person, params.name, hostOf(app, ctx)),
  }),
  ...foldedKinds.map((kind) =>
    defineRoute({
      method: 'put',
      path: `/api/v1/${kindInfo(kind).plural}/:name/folder`,
      tag: 'Folders',
      audience: 'person',
      summary: `Move a ${kind} to a folder or out of it`,
      status: 204,
      params: Joi.object({ name: thing.required() }),
      query: confirmed,
      body: Joi.object({ folder: thing.allow(null).required() }),
      async handle({ app, person, params: { name }, query, body, origin }) {
        await moveToFolder(app, person, { kind, name }, { ...body, isConfirmed: query.confirmed }, origin);
        return null;
      },
    }),
  ),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/search',
    summary: 'Search reports, boards and datasets',
    query: Joi.object({ text: Joi.string().trim().min(1).max(200).required() }),
    handle: async ({ app, person, query }) => ({ found: await find(app, person, query.text) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/contents',
    summary: 'List folders with their items',
    handle: ({ app, person }) => contents(app, person),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/favourites',
    summary: 'List your favourites and recently opened items',
    handle: ({ app, person }) => atHand(app, person),
  }),
  ...(['put', 'delete'] as const).map((method) =>
    defineRoute({
      ...about,
      method,
      path: '/api/v1/favourites/:kind/:name',
      isForReaders: true,
      summary: method === 'put' ? 'Add an item to your favourites' : 'Remove an item from your favourites',
      params: mark,
      status: 204,
      async handle({ app, person, params }) {
        await keepAtHand(app, person, params, method === 'put');
        return null;
      },
    }),
  ),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/recent/:kind/:name',
    summary: 'Record that you opened an item',
    params: mark,
    status: 204,
    async handle({ app, person, params }) {
      await looked(app, person, params);
      return null;
    },
  }),
  ...trashableKinds.map((kind) =>
    defineRoute({
      ...about,
      method: 'delete',
      path: `/api/v1/${kindInfo(kind).plural}/:name`,
      summary: `Move a ${kind} to the trash; confirm if other items use it`,
      params: Joi.object({ name: thing.required() }),
      query: Joi.object({ confirmed: Joi.boolean().default(false) }),
      async handle({ app, person, params, query, origin }) {
        const thrown = { kind, name: params.name };
        const uses = await dependents(app, thrown);
        await bin(app, person, thrown, { isConfirmed: query.confirmed, origin });
        return { ...thrown, days: 30, uses };
      },
    }),
  ),
  ...deletableKinds.map((kind) =>
    defineRoute({
      ...about,
      method: 'delete',
      path: `/api/v1/${kindInfo(kind).plural}/:name`,
      summary: `Delete a ${kind} that is not in use`,
      params: Joi.object({ name: thing.required() }),
      status: 204,
      async handle({ app, person, params, origin }) {
        await takeAway(app, person, { kind, name: params.name }, origin);
        return null;
      },
    }),
  ),
  ...renamedKinds.map((kind) =>
    defineRoute({
      ...about,
      method: 'put',
      path: `/api/v1/${kindInfo(kind).plural}/:name/name`,
      summary: `Rename a ${kind}; references follow, and the old name redirects`,
      params: Joi.object({ name: thing.required() }),
      body: Joi.object({ name: thing.required() }),
      async handle({ app, person, params, body, origin }) {
        await rename(app, person, { kind, name: params.name }, body.name, origin);
        return { kind, name: body.name, formerly: params.name };
      },
    }),
  ),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/redirects',
    summary: 'List redirects from former names',
    handle: async ({ app, person }) => ({ names: await seenFormerNames(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'delete',
    path: '/api/v1/redirects/:kind/:name',
    summary: 'Delete a redirect; the name can be used again',
    params: Joi.object({
      kind: Joi.string()
        .valid(...renamedKinds, ...(Object.keys(peopleKinds) as PeopleKind[]))
        .required(),
      name: Joi.string().max(100).required(),
    }),
    status: 204,
    async handle({ app, person, params, origin }) {
      await dropFormerName(app, person, params, origin);
      return null;
    },
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/trash',
    summary: 'List your items in the trash',
    handle: async ({ app, person }) => ({ things: await seenBin(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'post',
    path: '/api/v1/trash/:kind/:name/restore',
    summary: 'Restore an item from the trash',
    params: mark,
    async handle({ app, person, params, origin }) {
      await restore(app, person, params, origin);
      return params;
    },
  }),
];
