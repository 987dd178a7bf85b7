import type { PersonViewer } from '@underbell/core/access';
import { isRefusal } from '@underbell/core/refusal';
import type { Context } from 'koa';
import { runAs, readInput, withMemory, type App } from '../platform/index.ts';
import { userCacheKey } from './compressedResponse.ts';
import { showPage } from './page.ts';
import { readRequest, viewQuery, type ViewQuery } from './pageRoutes.ts';
import { prepareReport } from './prepare.ts';

/** Who is signed in, and the version that the records had when that was read. */
export interface SignedIn {
  readonly begin: (ctx: Context) => Promise<string | undefined>;
  readonly person: (ctx: Context) => Promise<PersonViewer | undefined>;
}

/**
 * What the page of a report will ask first, answered before it asks: one round trip less until its first figure. Whatever
 * keeps it from being answered, the page is told when it asks itself.
 *
 * @param report - its name in the address
 */
export async function answerAhead(
  app: App,
  ctx: Context,
  report: string,
  { begin, person: personOf }: SignedIn,
): Promise<{ readonly path: string; readonly text: string } | undefined> {
  // Fetched in case that somebody may want it: nobody has looked yet.
  if (ctx.get('Sec-Purpose').includes('prefetch')) return undefined;
  const version = await begin(ctx);
  if (version === undefined) return undefined;
  try {
    return await withMemory(
      app,
      async () => {
        const person = await personOf(ctx);
        if (!person) return undefined;
        const { bare: _, ...words } = ctx.query;
        const query = readInput(words, viewQuery, 'query') as ViewQuery;
        const search = new URLSearchParams(ctx.querystring);
        // How it looks is the page's own business.
        search.delete('bare');
        const path = `/api/v1/reports/${encodeURIComponent(report)}/view?${search}`;
        const asked = {
          asker: userCacheKey(person),
          address: `${path} ${ctx.get('Accept-Language')}`,
          known: '',
        };
        const { page } = await runAs([`person:${person.id}`], () =>
          showPage(app, asked, () => prepareReport(app, report, person, readRequest(query, ctx))),
        );
        return page && { path, text: page.plain.toString() };
      },
      version,
    );
  } catch (error) {
    if (!isRefusal(error)) app.log.warn({ err: error }, 'a page could not be answered ahead');
    return undefined;
  }
}
