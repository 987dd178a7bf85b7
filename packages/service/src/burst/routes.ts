import { Readable } from 'node:stream';
import Joi from 'joi';
import { burstSchema, copyFormats } from '@underbell/core/burst';
import { isRefusal } from '@underbell/core/refusal';
import { personOf, thing } from '../access/index.ts';
import { defineRoute, formatRoute, limitFailures, type Route } from '../platform/index.ts';
import { answerDone, answerFile, answerQuestion, answerWords } from './answers.ts';
import { sampleFile, previewCopy } from './recipientCopy.ts';
import { showPlan } from './showPlan.ts';
import {
  continueRun,
  pauseRun,
  approveRun,
  requireRun,
  retryRun,
  seenRuns,
  resolveDelivery,
  showLedger,
  showProgress,
  startRun,
  stopRun,
} from './runs.ts';
import { showSubscription, showUnsubscribed, subscribeAgain, unsubscribe } from './unsubscribe.ts';
import { mediaTypes } from '../copies/index.ts';
import { showTimes } from './due.ts';
import { timesAsCalendar } from './nextRuns.ts';
import { checkBurst, pauseSchedule, saveBurst, seenBursts, showBurst } from './usecases.ts';
import { fetchByLink, fetchKept, recallLinks } from './downloads.ts';
import { ownCopies } from './myDeliveries.ts';

const named = Joi.object({ name: thing.required() });
const period = Joi.string()
  .max(20)
  .description('period in ISO 8601 style: 2026, 2026-Q4, 2026-10, 2026-W44, 2026-10-26');
const runId = Joi.object({ id: Joi.number().integer().min(1).required() });

/** What copies may be. */
const fileTypes = copyFormats.map((format) => mediaTypes[format]);

export const burstRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/my/deliveries',
    tag: 'Bursts',
    audience: 'person',
    summary: 'List deliveries that you received',
    handle: async ({ app, person }) => ({ copies: await ownCopies(app, person) }),
  }),
  formatRoute('burst', burstSchema),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts',
    tag: 'Bursts',
    audience: 'person',
    summary: 'List bursts with their last run',
    handle: async ({ app, person }) => ({ bursts: await seenBursts(app, person) }),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/bursts',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Save a burst',
    body: Joi.object().unknown(true).required().description('burst definition, format underbell-burst/1'),
    handle: ({ app, person, body, origin }) => saveBurst(app, person, body, origin),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/bursts/check',
    tag: 'Bursts',
    audience: 'person',
    isRead: true,
    summary: 'Validate a burst without saving it',
    body: Joi.object().unknown(true).required().description('burst definition, format underbell-burst/1'),
    handle: ({ app, person, body }) => checkBurst(app, person, body),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts/:name',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Get a burst with its last run',
    params: named,
    handle: ({ app, person, params }) => showBurst(app, person, params.name),
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/bursts/:name/schedule',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Pause or resume the schedule of a burst',
    params: named,
    body: Joi.object({ isPaused: Joi.boolean().required() }),
    handle: ({ app, person, params, body, origin }) => pauseSchedule(app, person, params.name, body.isPaused, origin),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts/:name/preview',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Preview a run; nothing is sent',
    params: named,
    query: Joi.object({
      period,
      again: Joi.boolean().default(false).description('include recipients who already have a copy of this period'),
    }),
    handle: ({ app, person, params, query }) => showPlan(app, person, params.name, query),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts/:name/copy-preview',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Explain the copy of one recipient',
    params: named,
    query: Joi.object({ recipient: Joi.string().max(1000).required(), period }),
    handle: ({ app, person, params, query }) => previewCopy(app, person, params.name, query),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts/:name/sample',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Download the file that one recipient would get',
    params: named,
    query: Joi.object({
      recipient: Joi.string().max(1000).required(),
      period,
      format: Joi.string()
        .valid(...copyFormats)
        .description('default: the first format of the burst'),
    }),
    answer: { description: 'the file', type: fileTypes },
    async handle({ app, ctx, person, params, query }) {
      const { bytes, fileName, type } = await sampleFile(app, person, params.name, query);
      ctx.attachment(fileName);
      return { stream: Readable.from([bytes]), type };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts/:name/next-runs',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Get the next ten runs of a burst',
    params: named,
    handle: ({ app, person, params }) => showTimes(app, person, params.name),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts/:name/next-runs.ics',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Download the next runs as a calendar (RFC 5545)',
    params: named,
    answer: { description: 'a calendar', type: 'text/calendar' },
    async handle({ app, person, params }) {
      const text = await timesAsCalendar(app, person, params.name);
      return { stream: Readable.from([text]), type: 'text/calendar; charset=utf-8' };
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/bursts/:name/runs',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Start a run',
    status: 202,
    params: named,
    body: Joi.object({
      period,
      again: Joi.boolean().default(false).description('also send to recipients who already have a copy of this period'),
      only: Joi.array().items(Joi.string().max(1000)).min(1).max(10_000).description('only these recipients'),
      isTest: Joi.boolean().default(false).description('send all copies to yourself; no recipient counts as served'),
    }),
    handle: ({ app, person, params, body, origin }) => startRun(app, person, params.name, { ...body, origin }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/runs',
    tag: 'Bursts',
    audience: 'person',
    summary: 'List runs, newest first, 50 per page',
    query: Joi.object({
      burst: thing,
      before: Joi.number().integer().min(1).description('“next” of the previous page'),
    }),
    handle: ({ app, person, query }) => seenRuns(app, person, query.burst, query.before),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/runs/:id',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Get a run with its delivery log',
    params: runId,
    handle: ({ app, person, params }) => showLedger(app, person, params.id),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/runs/:id/progress',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Get the progress of a run',
    params: runId,
    handle: ({ app, person, params }) => showProgress(app, person, params.id),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/runs/:id/cancel',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Cancel a run; sent copies stay sent',
    status: 202,
    params: runId,
    handle: ({ app, person, params, origin }) => stopRun(app, person, params.id, origin),
  }),
  ...(
    [
      ['pause', 'Pause a run; deliveries that were started are completed', pauseRun],
      ['approve', 'Approve a run', approveRun],
      ['resume', 'Resume a paused run', continueRun],
      ['retry', 'Retry the failed deliveries of a run', retryRun],
    ] as const
  ).map(([act, summary, work]) =>
    defineRoute({
      method: 'post',
      path: `/api/v1/runs/:id/${act}`,
      tag: 'Bursts',
      audience: 'person',
      summary,
      status: 202,
      params: runId,
      handle: ({ app, person, params, origin }) => work(app, person, params.id, origin),
    }),
  ),
  defineRoute({
    method: 'post',
    path: '/api/v1/runs/:id/resolve',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Resolve an unconfirmed delivery',
    params: runId,
    body: Joi.object({ recipient: Joi.string().max(1000).required(), hasArrived: Joi.boolean().required() }),
    handle: ({ app, person, params, body, origin }) => resolveDelivery(app, person, params.id, { ...body, origin }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/runs/:id/revoke-links',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Revoke the download links of a run or of one recipient',
    params: runId,
    body: Joi.object({ recipient: Joi.string().max(1000) }),
    handle: async ({ app, person, params, body, origin }) => ({
      recalled: await recallLinks(app, person, await requireRun(app, person, params.id), { ...body, origin }),
    }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/runs/:id/file',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Download a stored file of a run',
    params: runId,
    query: Joi.object({ recipient: Joi.string().max(1000).required(), file: Joi.string().max(400).required() }),
    answer: { description: 'the file', type: fileTypes },
    handle: async ({ app, ctx, person, params, query }) =>
      answerFile(ctx, await fetchKept(app, person, await requireRun(app, person, params.id), query)),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/bursts/:name/unsubscribed',
    tag: 'Bursts',
    audience: 'person',
    summary: 'List the unsubscribed recipients of a burst',
    params: named,
    handle: async ({ app, person, params }) => ({ unsubscribed: await showUnsubscribed(app, person, params.name) }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/bursts/:name/resubscribe',
    tag: 'Bursts',
    audience: 'person',
    summary: 'Resubscribe a recipient',
    status: 204,
    params: named,
    body: Joi.object({ address: Joi.string().max(254).required() }).required(),
    async handle({ app, person, params, body, origin }) {
      await subscribeAgain(app, person, params.name, { ...body, origin });
      return null;
    },
  }),
  ...(['get', 'post'] as const).map((method) =>
    defineRoute({
      method,
      path: '/u/:key',
      tag: 'Bursts',
      audience: 'anyone',
      summary: method === 'get' ? 'Get the page that confirms an unsubscription' : 'Unsubscribe a recipient (RFC 8058)',
      params: Joi.object({ key: Joi.string().max(200).required() }),
      answer: { description: 'a page', type: 'text/html' },
      async handle({ app, ctx, params, origin }) {
        // Looking at a link must not take anything away: programs look at links in letters.
        const { title, address } = await limitFailures(app, 'link', origin, () =>
          method === 'get' ? showSubscription(app, params.key) : unsubscribe(app, params.key, origin),
        );
        return method === 'get' ? answerQuestion(ctx, title, address) : answerDone(ctx, title, address);
      },
    }),
  ),
  defineRoute({
    method: 'get',
    path: '/c/:key',
    tag: 'Bursts',
    audience: 'anyone',
    summary: 'Download a copy by its link',
    params: Joi.object({ key: Joi.string().max(200).required() }),
    answer: { description: 'the file', type: fileTypes },
    async handle({ app, ctx, params, origin }) {
      try {
        return answerFile(
          ctx,
          await limitFailures(app, 'link', origin, async () => fetchByLink(app, params.key, await personOf(app, ctx))),
        );
      } catch (error) {
        // Whoever follows a link from a letter reads words, not a problem document.
        if (!isRefusal(error) || ctx.accepts('json', 'html') !== 'html') throw error;
        return answerWords(ctx, error);
      }
    },
  }),
];
