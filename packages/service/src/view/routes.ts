import Joi from 'joi';
import type { Context } from 'koa';
import { tokenActions, type RecordRule } from '@underbell/core/access';
import { toFilterText } from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import { email, filter, ruleBody, thing } from '../access/index.ts';
import type { TokenViewer } from '../oauth/index.ts';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import { seeAs, type SeenAs } from './see.ts';
import {
  askForReport,
  preparePlacement,
  prepareReport,
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

/** A person, or a client with what it would ask for, or a token; in a placement or not. */
const seenAs = Joi.object({
  person: email,
  client: thing,
  details: Joi.object({
    pages: Joi.array().items(thing),
    parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)),
    where: Joi.object().pattern(Joi.string().max(60), filter),
    actions: Joi.array().items(Joi.string().valid(...tokenActions)),
    person: email,
    context: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)),
  }),
  token: Joi.string().guid(),
  placement: thing,
})
  .xor('person', 'client', 'token')
  .with('details', 'client');

interface SeeBody {
  readonly as: SeenAs;
  readonly and?: SeenAs;
  readonly page?: string;
  readonly where?: unknown;
  readonly parameters: Record<string, string>;
  readonly draft?: RecordRule;
}

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

/** A client with origins shows what its tokens open in pages of those alone; the frame says which page gave it the token. */
function checkHost({ origins = [] }: TokenViewer, host: string): void {
  if (origins.length === 0 || origins.includes(host)) return;
  throw new Refusal('TOKEN_OUT_OF_BOUNDS', 'the access token may not be used from this page', { word: host });
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
      if (client) checkHost(client as TokenViewer, ctx.get('Underbell-Host'));
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
    query: viewQuery.keys({ as: email.required() }),
    async handle({ app, person, params, query }) {
      const { as, ...rest } = query;
      return seeAs(app, person, { report: params.name, as: { person: as }, request: readRequest(rest as ViewQuery) });
    },
  }),
  defineRoute<{ name: string }, Record<string, never>, SeeBody>({
    method: 'post',
    path: '/api/v1/reports/:name/see',
    tag: 'Viewing',
    audience: 'person',
    summary: 'What a person, a client or the holder of a token would see, and how two viewers differ',
    params: Joi.object({ name: thing.required() }),
    body: Joi.object({
      as: seenAs.required(),
      and: seenAs,
      page: viewWords.page,
      where: filter,
      parameters: Joi.object().pattern(Joi.string().max(63), Joi.string().max(1000)).default({}),
      draft: ruleBody.keys({ dataset: thing.required(), name: thing.required() }),
    }),
    async handle({ app, person, params, body }) {
      const { as, and, draft, page, where, parameters } = body;
      const request = {
        parameters,
        choices: [],
        ...(page === undefined ? {} : { page }),
        ...(where === undefined ? {} : { where: toFilterText(where) }),
      };
      const options = { ...(and ? { and } : {}), ...(draft ? { draft } : {}) };
      return seeAs(app, person, { report: params.name, as, request, ...options });
    },
  }),
  defineRoute<Record<string, never>, Record<string, never>, { report?: string; placement?: string; words: string }>({
    method: 'post',
    path: '/api/v1/requests',
    tag: 'People',
    audience: 'person',
    summary: 'Ask the owners of a report for access to it, as its reader',
    status: 202,
    body: Joi.object({
      report: thing,
      placement: thing,
      words: Joi.string().trim().max(2000).allow('').default(''),
    }).xor('report', 'placement'),
    async handle({ app, person, body, origin }) {
      await askForReport(app, person, body, origin);
      return { isAsked: true };
    },
  }),
];
