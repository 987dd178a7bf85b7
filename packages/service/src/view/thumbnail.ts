import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { setImmediate } from 'node:timers/promises';
import Joi from 'joi';
import pLimit from 'p-limit';
import type { PersonViewer } from '@underbell/core/access';
import type { ViewResponse } from '@underbell/core/view';
import { thing } from '../access/index.ts';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import { keptAnswers } from './compressedResponse.ts';
import type { PreparedView } from './prepare.ts';
import { showView } from './show.ts';

/** A picture takes tens of milliseconds of a process that answers readers: one after the other, with room between them. */
const oneByOne = pLimit(1);

async function keptPicture(app: App, key: string, draw: () => Promise<string>): Promise<string> {
  const { results } = keptAnswers(app);
  const known = () => results.get(`picture ${key}`);
  return (
    known() ??
    oneByOne(async () => {
      await setImmediate();
      // Somebody before in the line may have wanted the same.
      const found = known() ?? (await draw());
      results.set(`picture ${key}`, found);
      return found;
    })
  );
}

/** What an answer shows, as one SVG: as small as its place likes, sharp on every screen, and nothing in it runs. */
async function drawAnswer(answer: ViewResponse<Date>): Promise<string> {
  const { pageSvg } = await import('../render/index.ts');
  const oldest = Math.min(...answer.datasets.map((one) => one.loadedAt.getTime()));
  const figures = answer.page.figures.map((one) =>
    // What may not be seen says so, whatever kind of figure it is.
    one.kind === 'text' && answer.results[one.name]?.refused ? { ...one, kind: 'number' as const, measure: '' } : one,
  );
  const { svg } = pageSvg({
    title: answer.title,
    page: { ...answer.page, figures } as Parameters<typeof pageSvg>[0]['page'],
    results: new Map(Object.entries(answer.results)),
    taste: answer.taste,
    limits: [],
    parameters: Object.fromEntries(answer.parameters.flatMap(({ name, words }) => (words ? [[name, words]] : []))),
    dataAsOf: Number.isFinite(oldest) ? oldest : 0,
  });
  return svg;
}

/** The same, drawn once for everybody who sees the same. */
export async function pictureOfAnswer(app: App, answer: ViewResponse<Date>): Promise<string> {
  const { title, page, results, taste, parameters, datasets } = answer;
  const shown = JSON.stringify([title, page, results, taste, parameters, datasets.map((one) => one.loadedAt)]);
  return keptPicture(app, createHash('sha256').update(shown).digest('base64url'), () => drawAnswer(answer));
}

/** A page as a small picture; it is no look, and not counted as one. */
export const pictureOfView = async (app: App, view: PreparedView): Promise<string> =>
  pictureOfAnswer(app, await showView(app, view, false));

/** A small current picture of something, under the rights of whoever asks. */
export const pictureRoute = (
  base: string,
  what: string,
  draw: (app: App, person: PersonViewer, name: string, languages: string[]) => Promise<string>,
): Route =>
  defineRoute({
    method: 'get',
    path: `${base}/thumbnail`,
    tag: 'Views',
    audience: 'person',
    isRemembered: true,
    summary: `Get the thumbnail of ${what}, under your permissions`,
    params: Joi.object({ name: thing.required() }),
    answer: { description: 'SVG, 1280 units across', type: 'image/svg+xml' },
    async handle({ app, ctx, person, params }) {
      const svg = await draw(app, person, params.name, ctx.acceptsLanguages());
      const tag = `"${createHash('sha256').update(svg).digest('base64url')}"`;
      ctx.set('ETag', tag);
      ctx.set('Cache-Control', 'private, no-cache');
      ctx.set('Vary', 'Authorization, Cookie, Accept-Language');
      if (ctx.get('If-None-Match') === tag) {
        ctx.status = 304;
        return null;
      }
      return { stream: Readable.from([Buffer.from(svg)]), type: 'image/svg+xml' };
    },
  });
