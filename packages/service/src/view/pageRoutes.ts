import Joi from 'joi';
import { Readable } from 'node:stream';
import type { RawParameters } from '@underbell/core/report';
import type { Context } from 'koa';
import type { TokenViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import type { ViewResponse } from '@underbell/core/view';
import { thing } from '../access/index.ts';
import { readableRevision, type Revision } from '../dataset/index.ts';
import { defineRoute, type App, type Request, type Route } from '../platform/index.ts';
import { filterWords, offeredValues } from './choices.ts';
import { sightOf, streamChanges, type Watched } from './events.ts';
import { exportTypes, exportView, readWindow } from './exports.ts';
import { dataFigures } from './figures.ts';
import { userCacheKey, type Packed } from './compressedResponse.ts';
import { showPage, type ShownPage } from './page.ts';
import { revisionFor, type PreparedView, type ViewRequest } from './prepare.ts';

const text = Joi.string().max(16_384);
export const viewWords = {
  page: Joi.string().max(60).description('name of a page'),
  where: text.description('filter as CQL2 text; it can only remove rows'),
  choose: Joi.array().items(text).single().max(60).description('selection as figure:value; repeat for several'),
  drill: Joi.array().items(text).single().max(20).description('drill-down as figure:value; one per level'),
  without: Joi.array().items(Joi.string().max(63)).single().max(30).description('parameters whose default is unset'),
  record: Joi.array()
    .items(text)
    .single()
    .max(30)
    .description('record field as field:value, for record() in filters; repeat for several'),
};

const rawParameter = Joi.alternatives(
  Joi.string().max(1000),
  Joi.array().items(Joi.string().max(1000)).min(1).max(200),
);

/** Every other word of the address is a parameter of the report, checked against its definition. */
export const viewQuery = Joi.object(viewWords).pattern(Joi.string().max(63), rawParameter);

export type ViewQuery = {
  page?: string;
  where?: string;
  choose?: string[];
  drill?: string[];
  without?: string[];
  record?: string[];
} & Record<string, string | string[] | undefined>;

/** The same as the words of an address, for what is more than looking. */
const viewBody = {
  page: viewWords.page,
  where: viewWords.where,
  choose: Joi.array().items(text).max(60),
  drill: Joi.array().items(text).max(20),
  without: viewWords.without,
  record: Joi.array().items(text).max(30),
  parameters: Joi.object().pattern(Joi.string().max(63), rawParameter).default({}),
};

interface ViewBody {
  readonly page?: string;
  readonly where?: string;
  readonly choose?: string[];
  readonly drill?: string[];
  readonly without?: string[];
  readonly record?: string[];
  readonly parameters: RawParameters;
}

function readChoices(choose: readonly string[]): ViewRequest['choices'] {
  const byFigure = new Map<string, string[]>();
  for (const one of choose) {
    const at = one.indexOf(':');
    if (at < 1) throw new Refusal('INPUT_INVALID', `“${one}” is not figure:value.`, { pointer: 'choose', word: one });
    const figure = one.slice(0, at);
    byFigure.set(figure, [...(byFigure.get(figure) ?? []), one.slice(at + 1)]);
  }
  return [...byFigure].map(([figure, values]) => ({ figure, values }));
}

/** A record from its fields as an address says them: each once. */
export function readRecord(fields: readonly string[]): Record<string, string> {
  const record: Record<string, string> = {};
  for (const one of fields) {
    const at = one.indexOf(':');
    const name = one.slice(0, at);
    if (at < 1) throw new Refusal('INPUT_INVALID', `“${one}” is not field:value.`, { pointer: 'record', word: one });
    if (Object.hasOwn(record, name))
      throw new Refusal('INPUT_INVALID', `The record has field “${name}” twice.`, { pointer: 'record', word: name });
    Object.defineProperty(record, name, { value: one.slice(at + 1), enumerable: true });
  }
  return record;
}

export function readRequest(query: ViewQuery, ctx: Context): ViewRequest {
  const { page, where, choose, drill, without, record, ...parameters } = query;
  return toRequest({ page, where, choose, drill, without, record, parameters: parameters as RawParameters }, ctx);
}

function toRequest({ page, where, choose, drill, without, record, parameters }: ViewBody, ctx: Context): ViewRequest {
  return {
    parameters,
    choices: readChoices(choose ?? []),
    ...(page === undefined ? {} : { page }),
    ...(where === undefined ? {} : { where }),
    ...(drill === undefined ? {} : { drills: readChoices(drill) }),
    ...(without === undefined ? {} : { without }),
    ...(record === undefined ? {} : { record: readRecord(record) }),
    languages: ctx.acceptsLanguages(),
  };
}

function answerPacked(ctx: Context, { plain, gzip }: Packed): void {
  const isPacked = gzip !== undefined && ctx.acceptsEncodings('gzip', 'identity') === 'gzip';
  if (isPacked) ctx.set('Content-Encoding', 'gzip');
  ctx.type = 'json';
  ctx.body = isPacked ? gzip : plain;
}

/** Answers with a page, or that the asker has it already. */
export function answerShown(ctx: Context, { tag, page }: ShownPage): void {
  ctx.set('ETag', tag);
  ctx.set('Cache-Control', 'private, no-cache');
  ctx.set('Vary', 'Authorization, Cookie, Accept-Language, Accept-Encoding');
  if (page === undefined) ctx.status = 304;
  else answerPacked(ctx, page);
}

type Asked = Request<{ name: string }, unknown, unknown>;
export type Prepare = (
  asked: Pick<Asked, 'app' | 'ctx' | 'client' | 'params' | 'person'>,
  request: ViewRequest,
) => Promise<PreparedView>;

const watchedBy = (view: PreparedView): Watched => ({
  datasets: dataFigures(view).map((figure) => revisionFor(view, figure).shape.name),
  report: view.viewing.report.name,
  ...(view.place?.kind ? { placement: view.place.name } : {}),
});

const figureName = Joi.string().max(60);

type WhoAsks = Parameters<Prepare>[0];

/** What is looked at and is no page of a report: a board in a placement. Undefined where it is one. */
export interface Instead {
  readonly view: (asked: WhoAsks, request: ViewRequest) => Promise<ViewResponse<Date> | undefined>;
  readonly watched: (asked: WhoAsks, request: ViewRequest) => Promise<Watched | undefined>;
}

/** What the listener has: by it the service sees whether something changed before anybody listened. */
const shownWords = {
  since: Joi.array()
    .items(text)
    .single()
    .max(100)
    .description('current version as dataset:version; repeat for several'),
  edition: Joi.number().integer().min(1).description('current edition'),
};

type Known = ReadonlyMap<string, Pick<Revision, 'number' | 'isLive'>>;

/**
 * Whether any of some datasets has another revision by now. What is asked live has none that would be told.
 *
 * @param known - those that are looked at: of others, nothing is told
 */
const isAnother = (since: readonly string[], known: Known): boolean =>
  since.some((one) => {
    const at = one.lastIndexOf(':');
    const now = known.get(one.slice(0, at));
    return now !== undefined && now.isLive !== true && String(now.number) !== one.slice(at + 1);
  });

async function revisionsNow(app: App, datasets: readonly string[]): Promise<Known> {
  const found = new Map<string, Revision>();
  for (const name of datasets) found.set(name, await readableRevision(app, name));
  return found;
}

/** Everything that can be asked of a page, by a placement or by the report itself. */
export function pageRoutes(
  base: string,
  audience: 'viewer' | 'person',
  what: string,
  prepare: Prepare,
  instead?: Instead,
): Route[] {
  const params = Joi.object({ name: thing.required() });
  const about = { tag: 'Views', audience, params } as const;
  return [
    defineRoute({
      ...about,
      method: 'get',
      path: `${base}/view`,
      isRemembered: true,
      summary: `Get a page with its data, under the permissions of ${what}`,
      query: viewQuery,
      async handle(asked) {
        const { app, ctx } = asked;
        const request = readRequest(asked.query, ctx);
        const other = await instead?.view(asked, request);
        if (other !== undefined) return other;
        const shown = {
          asker: asked.client ? `token ${(asked.client as TokenViewer).tokenId}` : userCacheKey(asked.person),
          address: `${ctx.path}?${ctx.querystring} ${ctx.get('Accept-Language')}`,
          known: ctx.get('If-None-Match'),
        };
        answerShown(ctx, await showPage(app, shown, () => prepare(asked, request)));
        return null;
      },
    }),
    defineRoute({
      ...about,
      method: 'post',
      path: `${base}/rows`,
      isForReaders: true,
      isRemembered: true,
      summary: 'Get a range of rows of a table, sorted',
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
    defineRoute({
      ...about,
      method: 'post',
      path: `${base}/parameter-values`,
      isForReaders: true,
      isRemembered: true,
      summary: 'List values of a parameter',
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
    defineRoute({
      ...about,
      method: 'post',
      path: `${base}/filter-suggestions`,
      isForReaders: true,
      isRemembered: true,
      summary: 'List the columns that a reader filter can use, or values of one column',
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
    defineRoute({
      ...about,
      method: 'post',
      path: `${base}/export`,
      isForReaders: true,
      isRead: true,
      summary: 'Export a figure or the page as a file; requires the permission “export”',
      body: Joi.object({
        ...viewBody,
        figure: figureName,
        format: Joi.string().valid('csv', 'xlsx', 'png', 'pdf').required(),
      }),
      answer: { description: 'the file', type: Object.values(exportTypes) },
      async handle(asked) {
        const { figure, format, ...rest } = asked.body;
        const view = await prepare(asked, toRequest(rest, asked.ctx));
        const { bytes, type, fileName } = await exportView(asked.app, view, { format, ...(figure ? { figure } : {}) });
        asked.ctx.set('Content-Disposition', `attachment; filename="${fileName}"`);
        return { stream: Readable.from([bytes]), type };
      },
    }),
    defineRoute({
      ...about,
      method: 'get',
      path: `${base}/events`,
      summary: 'Stream changes of the page and its data (server-sent events)',
      query: viewQuery.keys(shownWords),
      answer: { description: 'text/event-stream', type: 'text/event-stream' },
      async handle(asked) {
        const { since, edition, ...query } = asked.query;
        const request = readRequest(query, asked.ctx);
        const other = await instead?.watched(asked, request);
        const { client } = asked as { client?: TokenViewer };
        const watched = {
          ...(other ?? watchedBy(await prepare(asked, request))),
          ...(client ? { client: client.clientId } : {}),
        };
        return streamChanges(asked.app, asked.ctx, watched, {
          shares: asked.askers,
          ...(client ? { endsAt: client.expiresAt } : {}),
          async isLate() {
            if (other) return isAnother(since ?? [], await revisionsNow(asked.app, other.datasets));
            const { revisions, edition: now } = await prepare(asked, request);
            if (edition !== undefined && edition !== now.number) return true;
            return isAnother(since ?? [], new Map([...revisions.values()].map((one) => [one.shape.name, one])));
          },
          async look() {
            const { app, ctx, params } = asked;
            const again = { app, ctx, params, ...(await asked.again()) } as Asked;
            if (other === undefined)
              return sightOf(app, (await prepare(again, request)).viewing.viewer, watched.datasets);
            await instead!.watched(again, request);
            return sightOf(app, (again.client ?? again.person)!, watched.datasets);
          },
        });
      },
    }),
  ];
}
