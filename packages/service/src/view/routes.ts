import Joi from 'joi';
import { Readable } from 'node:stream';
import type { RawParameters } from '@underbell/core/report';
import type { Context } from 'koa';
import { tokenActions, type RecordRule } from '@underbell/core/access';
import { toFilterText } from '@underbell/core/filter';
import { Refusal } from '@underbell/core/refusal';
import { email, filter, ruleBody, thing } from '../access/index.ts';
import type { TokenViewer } from '../oauth/index.ts';
import { meter } from '../meter/index.ts';
import { busyMs, defineRoute, tallied, type App, type Request, type Route } from '../platform/index.ts';
import { seeAs, type SeenAs } from './see.ts';
import { filterWords, offeredValues } from './choices.ts';
import { streamChanges } from './events.ts';
import { exportView, readWindow, type ExportFormat, type RowWindow } from './exports.ts';
import { dataFigures, revisionFor, viewTag } from './figures.ts';
import { mayTake, showView } from './show.ts';
import { askForReport, preparePlacement, prepareReport, type PreparedView, type ViewRequest } from './usecases.ts';

const text = Joi.string().max(16_384);
const viewWords = {
  page: Joi.string().max(60).description('a page by its readable name'),
  where: text.description('CQL2 text; can only narrow'),
  choose: Joi.array()
    .items(text)
    .single()
    .max(60)
    .description('figure:value, a mark picked in a figure; repeated for several'),
  drill: Joi.array()
    .items(text)
    .single()
    .max(20)
    .description('figure:value, a mark opened in a figure; one for each level'),
  without: Joi.array().items(Joi.string().max(63)).single().max(30).description('parameters without their default'),
};

const rawParameter = Joi.alternatives(
  Joi.string().max(1000),
  Joi.array().items(Joi.string().max(1000)).min(1).max(200),
);

/** Every other word of the address is a parameter of the report, checked against its definition. */
const viewQuery = Joi.object(viewWords).pattern(Joi.string().max(63), rawParameter);

type ViewQuery = { page?: string; where?: string; choose?: string[]; drill?: string[]; without?: string[] } & Record<
  string,
  string | string[] | undefined
>;

/** The same as the words of an address, for what is more than looking. */
const viewBody = {
  page: viewWords.page,
  where: viewWords.where,
  choose: Joi.array().items(text).max(60),
  drill: Joi.array().items(text).max(20),
  without: viewWords.without,
  parameters: Joi.object().pattern(Joi.string().max(63), rawParameter).default({}),
};

interface ViewBody {
  readonly page?: string;
  readonly where?: string;
  readonly choose?: string[];
  readonly drill?: string[];
  readonly without?: string[];
  readonly parameters: RawParameters;
}

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

function readRequest(query: ViewQuery, ctx: Context): ViewRequest {
  const { page, where, choose, drill, without, ...parameters } = query;
  return toRequest({ page, where, choose, drill, without, parameters: parameters as RawParameters }, ctx);
}

function toRequest({ page, where, choose, drill, without, parameters }: ViewBody, ctx: Context): ViewRequest {
  return {
    parameters,
    choices: readChoices(choose ?? []),
    ...(page === undefined ? {} : { page }),
    ...(where === undefined ? {} : { where }),
    ...(drill === undefined ? {} : { drills: readChoices(drill) }),
    ...(without === undefined ? {} : { without }),
    languages: ctx.get('Accept-Language'),
  };
}

/** Answers with an entity tag; an unchanged view costs no query. */
async function answerView(app: App, ctx: Context, view: PreparedView): Promise<object | null> {
  const mayExport = await mayTake(app, view);
  const tag = viewTag(view, app.now(), mayExport);
  ctx.set('ETag', tag);
  ctx.set('Cache-Control', 'private, no-cache');
  ctx.set('Vary', 'Authorization, Cookie, Accept-Language');
  if (ctx.get('If-None-Match') === tag) {
    ctx.status = 304;
    return null;
  }
  return tallied(async (tally) => {
    const start = performance.now();
    const busy = busyMs();
    const shown = await showView(app, view, mayExport);
    const { viewer, report } = view.viewing;
    const { rows, queryMs, hits, misses, isLive } = tally;
    meter(app, {
      kind: 'view',
      lane: 'readers',
      report: report.name,
      ...(view.placement ? { placement: view.placement.name } : {}),
      person: viewer.kind === 'person' ? viewer.email : viewer.clientId,
      rows,
      // Queries run beside each other: no view waits longer for them than it takes.
      queryMs: Math.min(queryMs, performance.now() - start),
      renderMs: Math.max(0, performance.now() - start - queryMs),
      cpuMs: busyMs() - busy,
      hits,
      misses,
      isLive,
    });
    return shown;
  });
}

type Asked = Request<{ name: string }, unknown, unknown>;
type Prepare = (
  asked: Pick<Asked, 'app' | 'ctx' | 'client' | 'params' | 'person'>,
  request: ViewRequest,
) => Promise<PreparedView>;

const placed: Prepare = (asked, request) => {
  const { app, client, params } = asked;
  const who = client ? { client: client as TokenViewer } : { person: asked.person };
  return preparePlacement(app, params.name, who, request);
};
const whole: Prepare = ({ app, params, person }, request) => prepareReport(app, params.name, person, request);

const figureName = Joi.string().max(60);

/** Everything that can be asked of a page, by a placement or by the report itself. */
function routesOf(base: string, audience: 'viewer' | 'person', what: string, prepare: Prepare): Route[] {
  const params = Joi.object({ name: thing.required() });
  const about = { tag: 'Viewing', audience, params } as const;
  return [
    defineRoute<{ name: string }, ViewQuery>({
      ...about,
      method: 'get',
      path: `${base}/view`,
      isLook: true,
      summary: `A page as ${what} may see it`,
      query: viewQuery,
      handle: async (asked) =>
        answerView(asked.app, asked.ctx, await prepare(asked, readRequest(asked.query, asked.ctx))),
    }),
    defineRoute<{ name: string }, Record<string, never>, ViewBody & RowWindow>({
      ...about,
      method: 'post',
      path: `${base}/rows`,
      isLook: true,
      summary: 'A window of a long table, in the order that the reader wants',
      body: Joi.object({
        ...viewBody,
        figure: figureName.required(),
        from: Joi.number().integer().min(0).max(10_000_000).default(0),
        count: Joi.number().integer().min(1).max(1000).default(200),
        sort: Joi.object({ by: Joi.string().max(63).required(), descending: Joi.boolean().default(false) }),
      }),
      async handle(asked) {
        const { figure, from, count, sort, ...rest } = asked.body;
        const view = await prepare(asked, toRequest(rest, asked.ctx));
        return readWindow(asked.app, view, { figure, from, count, ...(sort ? { sort } : {}) });
      },
    }),
    defineRoute<{ name: string }, Record<string, never>, ViewBody & { parameter: string; search: string }>({
      ...about,
      method: 'post',
      path: `${base}/values`,
      isLook: true,
      summary: 'Values to choose from for a parameter',
      body: Joi.object({
        ...viewBody,
        parameter: Joi.string().max(63).required(),
        search: Joi.string().max(200).allow('').default(''),
      }),
      async handle(asked) {
        const { parameter, search, ...rest } = asked.body;
        return offeredValues(asked.app, await prepare(asked, toRequest(rest, asked.ctx)), parameter, search);
      },
    }),
    defineRoute<{ name: string }, Record<string, never>, ViewBody & { column: string; starts: string }>({
      ...about,
      method: 'post',
      path: `${base}/words`,
      isLook: true,
      summary: 'What the reader’s own filter may name, and the values of one column',
      body: Joi.object({
        ...viewBody,
        column: Joi.string().max(63),
        starts: Joi.string().max(200).allow('').default(''),
      }),
      async handle(asked) {
        const { column, starts, ...rest } = asked.body;
        return filterWords(asked.app, await prepare(asked, toRequest(rest, asked.ctx)), column, starts);
      },
    }),
    defineRoute<{ name: string }, Record<string, never>, ViewBody & { figure?: string; format: ExportFormat }>({
      ...about,
      method: 'post',
      path: `${base}/export`,
      summary: 'A figure, or the page, as a file; needs the right to export',
      body: Joi.object({
        ...viewBody,
        figure: figureName,
        format: Joi.string().valid('csv', 'xlsx', 'png', 'pdf').required(),
      }),
      answer: { description: 'the file', type: 'application/octet-stream' },
      async handle(asked) {
        const { figure, format, ...rest } = asked.body;
        const view = await prepare(asked, toRequest(rest, asked.ctx));
        const { bytes, type, fileName } = await exportView(asked.app, view, { format, ...(figure ? { figure } : {}) });
        asked.ctx.set('Content-Disposition', `attachment; filename="${fileName}"`);
        return { stream: Readable.from([bytes]), type };
      },
    }),
    defineRoute<{ name: string }, ViewQuery>({
      ...about,
      method: 'get',
      path: `${base}/events`,
      summary: 'Server-sent events: tells when what the page shows has changed',
      query: viewQuery,
      answer: { description: 'text/event-stream', type: 'text/event-stream' },
      async handle(asked) {
        const request = readRequest(asked.query, asked.ctx);
        const view = await prepare(asked, request);
        const watched = {
          datasets: dataFigures(view).map((figure) => revisionFor(view, figure).shape.name),
          report: view.viewing.report.name,
          ...(view.placement ? { placement: view.placement.name } : {}),
        };
        const { client } = asked as { client?: TokenViewer };
        return streamChanges(asked.app, asked.ctx, watched, {
          shares: asked.askers,
          ...(client ? { endsAt: client.expiresAt } : {}),
          async look() {
            const { app, ctx, params } = asked;
            await prepare({ app, ctx, params, ...(await asked.again()) } as Asked, request);
          },
        });
      },
    }),
  ];
}

export const viewRoutes: Route[] = [
  ...routesOf('/api/v1/placements/:name', 'viewer', 'the visitor of a placement', placed),
  ...routesOf('/api/v1/reports/:name', 'person', 'you', whole),
  defineRoute<{ name: string }, ViewQuery & { as: string }>({
    method: 'get',
    path: '/api/v1/reports/:name/see',
    tag: 'Viewing',
    audience: 'person',
    summary: 'What a person would see, and why',
    params: Joi.object({ name: thing.required() }),
    query: viewQuery.keys({ as: email.required() }),
    async handle({ app, ctx, person, params, query }) {
      const { as, ...rest } = query;
      return seeAs(app, person, {
        report: params.name,
        as: { person: as },
        request: readRequest(rest as ViewQuery, ctx),
      });
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
