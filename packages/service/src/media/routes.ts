import Joi from 'joi';
import { mediaTypes } from '@underbell/core/media';
import { thing } from '../access/index.ts';
import { defineRoute, type Route } from '../platform/index.ts';
import { serveFile, serveThumbnail } from './serve.ts';
import { putMedia, requireVersion, retitleMedia, seenMedia, showMedia } from './usecases.ts';

const about = { tag: 'Media', audience: 'person' } as const;
const named = Joi.object({ name: thing.required() });
const title = Joi.string().trim().min(1).max(200);
const versionQuery = Joi.object({
  version: Joi.string()
    .pattern(/^[1-9]\d{0,8}$/, 'a number')
    .description('default: the newest version'),
});
const numberOf = ({ version }: { readonly version?: string | undefined }) =>
  version === undefined ? undefined : Number(version);

export const mediaRoutes: Route[] = [
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/media',
    summary: 'List media',
    handle: async ({ app, person }) => ({ media: await seenMedia(app, person) }),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/media/:name',
    summary: 'Get a media file with its versions and uses',
    params: named,
    handle: ({ app, person, params }) => showMedia(app, person, params.name),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/media/:name',
    summary: 'Upload an image (PNG, JPEG, WebP, SVG) or video (MP4, WebM) as the next version',
    params: named,
    query: Joi.object({
      title,
      file: Joi.string().min(1).max(200).required().description('file name'),
    }),
    consumes: '*/*',
    handle: ({ app, ctx, person, params, query, origin }) =>
      putMedia(app, person, ctx.req, {
        name: params.name,
        fileName: query.file,
        origin,
        ...(query.title === undefined ? {} : { title: query.title }),
      }),
  }),
  defineRoute({
    ...about,
    method: 'put',
    path: '/api/v1/media/:name/title',
    summary: 'Change the title of a media file',
    params: named,
    body: Joi.object({ title: title.required() }),
    handle: ({ app, person, params, body, origin }) => retitleMedia(app, person, params.name, body.title, origin),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/media/:name/file',
    summary: 'Download a media file or a range of it (RFC 9110, section 14)',
    params: named,
    query: versionQuery,
    answer: { description: 'the media file', type: Object.keys(mediaTypes) },
    handle: async ({ app, ctx, person, params, query }) =>
      serveFile(app, ctx, await requireVersion(app, person, params.name, numberOf(query))),
  }),
  defineRoute({
    ...about,
    method: 'get',
    path: '/api/v1/media/:name/thumbnail',
    summary: 'Get the thumbnail of a media file',
    params: named,
    query: versionQuery,
    answer: { description: 'WebP, at most 480 pixels wide and high', type: 'image/webp' },
    async handle({ app, ctx, person, params, query }) {
      return serveThumbnail(app, ctx, await requireVersion(app, person, params.name, numberOf(query)));
    },
  }),
];
