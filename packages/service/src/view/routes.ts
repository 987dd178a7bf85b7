import Joi from 'joi';
import type { Context } from 'koa';
import { Refusal } from '@underbell/core/refusal';
import { thing } from '../access/index.ts';
import type { TokenViewer } from '../oauth/index.ts';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import {
  preparePlacement,
  prepareReport,
  seeAs,
  showView,
  viewTag,
  type PreparedView,
  type ViewRequest,
} from './usecases.ts';

const text = Joi.string().max(16_384);
const viewWords = {
  page: Joi.string().max(60).description('a page by its readable name'),
  where: text.description('CQL2 text; can only narrow'),
  choose: Joi.array()
    .items(text)
    .single()
    .max(60)
    .description('figure:value, a mark picked in a figure; repeated for several'),
};

/** Every other word of the address is a parameter of the report, checked against its definition. */
const viewQuery = Joi.object(viewWords).pattern(Joi.string().max(63), Joi.string().max(1000));

type ViewQuery = { page?: string; where?: string; choose?: string[] } & Record<string, string | string[] | undefined>;

function readChoices(choose: readonly string[]): ViewRequest['choices'] {
  const byFigure = new Map<string, string[]>();
  for (const one of choose) {
    const at = one.indexOf(':');
    if (at < 1) throw new Refusal('INPUT_INVALID', `\`${one}\` is not figure:value`, { pointer: 'choose', word: one });
    const figure = one.slice(0, at);
    byFigure.set(figure, [...(byFigure.get(figure) ?? []), one.slice(at + 1)]);
  }
  return [...byFigure].map(([figure, values]) => ({ figure, values }));
}

function readRequest(query: ViewQuery): ViewRequest {
  const { page, where, choose, ...parameters } = query;
  return { page, where, choices: readChoices(choose ?? []), parameters: parameters as Record<string, string> };
}

/** Answers with an entity tag; an unchanged view costs no query. */
async function answerView(app: App, ctx: Context, view: PreparedView): Promise<object | null> {
  const tag = viewTag(view);
  ctx.set('ETag', tag);
  ctx.set('Cache-Control', 'private, no-cache');
  ctx.set('Vary', 'Authorization, Cookie');
  if (ctx.get('If-None-Match') === tag) {
    ctx.status = 304;
    return null;
  }
  return showView(app, view);
}

export const viewRoutes: Route[] = [
  defineRoute<{ name: string }, ViewQuery>({
    method: 'get',
    path: '/api/v1/placements/:name/view',
    tag: 'Viewing',
    audience: 'viewer',
    summary: 'A page as the visitor of a placement may see it',
    params: Joi.object({ name: thing.required() }),
    query: viewQuery,
    async handle(request) {
      const { app, ctx, client, params, query } = request;
      const who = client ? { client: client as TokenViewer } : { person: request.person };
      return answerView(app, ctx, await preparePlacement(app, params.name, who, readRequest(query)));
    },
  }),
  defineRoute<{ name: string }, ViewQuery>({
    method: 'get',
    path: '/api/v1/reports/:name/view',
    tag: 'Viewing',
    audience: 'person',
    summary: 'A page of a report as you may see it',
    params: Joi.object({ name: thing.required() }),
    query: viewQuery,
    async handle({ app, ctx, person, params, query }) {
      return answerView(app, ctx, await prepareReport(app, params.name, person, readRequest(query)));
    },
  }),
  defineRoute<{ name: string }, ViewQuery & { as: string }>({
    method: 'get',
    path: '/api/v1/reports/:name/see',
    tag: 'Viewing',
    audience: 'person',
    summary: 'What a person would see, and why',
    params: Joi.object({ name: thing.required() }),
    query: viewQuery.keys({ as: Joi.string().email({ tlds: false }).required() }),
    async handle({ app, person, params, query }) {
      const { as, ...rest } = query;
      return seeAs(app, person, { report: params.name, as, request: readRequest(rest as ViewQuery) });
    },
  }),
];
