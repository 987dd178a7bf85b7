import { once } from 'node:events';
import { PassThrough, Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import Joi from 'joi';
import type { DatasetColumn } from '@underbell/core/dataset';
import { csvLine, CsvLines } from '@underbell/core/csv';
import { requireRight, thing } from '../access/index.ts';
import { defineRoute, IdleTimeout, takeDownload, type App, type Route } from '../platform/index.ts';
import type { RowRequest } from './request.ts';
import { copyRows, instantFields, type RowFormat } from './rowFiles.ts';
import { ownRows, seenDatasets, showDataset, tryFilter } from './usecases.ts';
import { previewRows, profileColumns } from './profile.ts';

const where = Joi.string().max(16_384).description('filter as CQL2 text; it can only remove rows');
const named = Joi.object({ name: thing.required() });

function csvLines(instants: readonly number[]): Transform {
  const lines = new CsvLines(instants);
  return new Transform({ transform: (piece: Buffer, _, done) => done(null, lines.push(piece)) });
}

/** Whoever takes nothing of a file for so long has gone, or keeps others from theirs. */
const idleMs = 60_000;

/**
 * Rows as a file that somebody fetches, as slowly as they like: on connections of their own, of which each person has a
 * share, so that nobody who only looks waits for it.
 *
 * @throws {Refusal} `RATE_LIMITED`, and whatever reading refuses before its first row
 */
async function rowStream(
  app: App,
  asked: RowRequest,
  columns: readonly DatasetColumn[],
  format: RowFormat,
): Promise<Readable> {
  const request: RowRequest = { ...asked, lane: 'downloads' };
  const giveBack = takeDownload(app);
  const out = new PassThrough();
  if (format === 'csv') out.write(csvLine(columns.map((one) => one.name)));
  const line = { prefix: [], cells: columns };
  let isStarted = false;
  await new Promise<void>((resolve, failed) => {
    copyRows(app, request, line, format, async (rows) => {
      // How long the first row takes is the database's affair; from then on it is the reader's.
      await once(rows, 'readable');
      isStarted = true;
      resolve();
      await pipeWatched(rows, format === 'csv' ? [csvLines(instantFields(line)), out] : [out]);
    })
      .catch((error: Error) => {
        failed(error);
        // Before the answer has begun nobody listens to the stream, and the error is answered as a problem.
        out.destroy(isStarted ? error : undefined);
      })
      .finally(giveBack);
  });
  return out;
}

/** Hands rows on as long as somebody takes them. */
async function pipeWatched(rows: Readable, to: readonly (Transform | PassThrough)[]): Promise<void> {
  const watch = new IdleTimeout(idleMs);
  try {
    await pipeline([Readable.from(watch.passing(rows)), ...to], { signal: watch.signal });
  } finally {
    watch.end();
  }
}

export const datasetRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:name/preview',
    tag: 'Datasets',
    audience: 'person',
    summary: 'Get the first rows of a dataset under your permissions',
    params: named,
    query: Joi.object({ where }),
    handle: ({ app, person, params, query }) => previewRows(app, person, params.name, query.where),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:name/profile',
    tag: 'Datasets',
    audience: 'person',
    summary: 'Get statistics of each column',
    params: named,
    handle: async ({ app, person, params }) => ({ columns: await profileColumns(app, person, params.name) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets',
    tag: 'Datasets',
    audience: 'person',
    summary: 'List datasets',
    handle: async ({ app, person }) => ({ datasets: await seenDatasets(app, person) }),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:name',
    tag: 'Datasets',
    audience: 'person',
    summary: 'Get a dataset with its columns and versions',
    params: named,
    handle: ({ app, person, params }) => showDataset(app, person, params.name),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:name/rows',
    tag: 'Datasets',
    audience: 'person',
    summary: 'Query rows of a dataset under your permissions',
    params: named,
    query: Joi.object({ where, format: Joi.string().valid('csv', 'jsonl').default('jsonl') }),
    answer: { description: 'CSV (RFC 4180) or JSON Lines', type: ['text/csv', 'application/x-ndjson'] },
    async handle({ app, person, params, query }) {
      await requireRight(app, person, 'export', 'dataset', params.name);
      const request = await ownRows(app, person, params.name, query.where);
      const stream = await rowStream(app, request, request.filter.visible.columns, query.format);
      return { stream, type: query.format === 'csv' ? 'text/csv; charset=utf-8' : 'application/x-ndjson' };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/datasets/:name/count',
    tag: 'Datasets',
    audience: 'person',
    summary: 'Test a filter on a dataset',
    params: named,
    query: Joi.object({ where }),
    handle: ({ app, person, params, query }) => tryFilter(app, person, params.name, query.where),
  }),
];
