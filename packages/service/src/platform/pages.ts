import { readFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type Router from '@koa/router';
import escapeHtml from 'escape-html';
import type { Context } from 'koa';
import send from 'koa-send';
import { partsNotReady } from './readiness.ts';
import { isOrigin } from '@underbell/core/access';
import { thingName } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import type { App } from './app.ts';

const packages = join(dirname(fileURLToPath(import.meta.url)), '../../..');
const dist = (name: string) => join(packages, name, 'dist');
const yearMs = 365 * 24 * 3_600_000;

/** A screen shows pictures and videos that it has unpacked itself; the console what a screen has sent. */
const policyOf = (name: string): string => {
  const own = name === 'player' || name === 'console' ? ' blob:' : '';
  return `default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:${own}; media-src 'self'${own}; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'`;
};

const opening = '<div id="app">';
const headEnd = '</head>';

/** Another form of a page, for whoever looks for one. */
export interface PageLink {
  /** Media type. */
  readonly type: string;
  readonly title: string;
  readonly href: string;
}

/** The answer to the first question of a page, sent along with it. */
export interface PageAhead {
  /** The question, as the page would ask it. */
  readonly path: string;
  /** JSON. */
  readonly text: string;
}

/** Data that no browser runs and no text in it ends. */
const aheadTag = ({ path, text }: PageAhead): string =>
  `<script type="application/json" id="ahead" data-path="${escapeHtml(path)}">${text.replaceAll('<', '\\u003c')}</script>`;

/**
 * A built page with what it is to show.
 *
 * The page is taken apart at its root and put together again: no text of anybody's is ever a pattern, and all of it is
 * escaped.
 */
export function pageWith(
  html: string,
  attributes: Readonly<Record<string, string>>,
  links: readonly PageLink[] = [],
  ahead?: PageAhead,
): string {
  const [start, tail, ...more] = html.split(opening);
  if (tail === undefined || more.length > 0) throw new TypeError('the page has no single root');
  const tags = links.map(
    ({ type, title, href }) =>
      `<link rel="alternate" type="${escapeHtml(type)}" title="${escapeHtml(title)}" href="${escapeHtml(href)}">`,
  );
  if (ahead) tags.push(aheadTag(ahead));
  const [before, ...after] = start!.split(headEnd);
  if (tags.length > 0 && after.length !== 1) throw new TypeError('the page has no single head');
  const head = tags.length === 0 ? start : [before, ...tags, headEnd, ...after].join('');
  const data = Object.entries(attributes).map(([key, value]) => ` data-${key}="${escapeHtml(value)}"`);
  return [head, opening.slice(0, -1), ...data, '>', tail].join('');
}

async function sendPage(
  ctx: Context,
  name: string,
  frameAncestors: readonly string[],
  attributes: Readonly<Record<string, string>> = {},
  links: readonly PageLink[] = [],
  ahead?: PageAhead,
  frames: readonly string[] = [],
): Promise<void> {
  const html = await readFile(join(dist(name), 'index.html'), 'utf8').catch((cause: unknown) => {
    throw new Refusal('NOT_FOUND', `The ${name} is not built.`, { hint: 'Run npm run build.' }, { cause });
  });
  const framed = frames.length > 0 ? `; frame-src 'self' ${frames.join(' ')}` : '';
  ctx.set('Content-Security-Policy', `${policyOf(name)}${framed}; frame-ancestors ${frameAncestors.join(' ')}`);
  ctx.set('Referrer-Policy', 'no-referrer');
  // With somebody's figures in it, it is nobody else's, and lies nowhere.
  ctx.set('Cache-Control', ahead ? 'private, no-store' : 'no-cache');
  ctx.type = 'html';
  ctx.body = pageWith(html, attributes, links, ahead);
}

/** The name of a thing in an address. @throws {Refusal} `NOT_FOUND` for what is no name */
function nameIn(ctx: Context & { params: { name: string } }): string {
  const { name } = ctx.params;
  if (thingName.test(name)) return name;
  throw new Refusal('NOT_FOUND', 'Page not found.');
}

/** What pages need to know of what they show. */
export interface PageFacts {
  /** Other forms of a placement's page, whether there is such a placement or not. */
  readonly placementLinks: (path: string) => readonly PageLink[];
  /** The origins whose pages may be around a page of ours, by the address of the one that is. */
  readonly framers: (from: string) => Promise<readonly string[]>;
  /** What a report's page will ask first, answered for whoever is signed in; nothing where it is not known yet. */
  readonly ahead: (ctx: Context, report: string) => Promise<PageAhead | undefined>;
  /** The placement behind the key of a public link; nothing where it shows nothing. */
  readonly publicLink: (
    key: string,
    from: string,
  ) => Promise<
    { readonly name: string; readonly origins: readonly string[]; readonly links: readonly PageLink[] } | undefined
  >;
  /** Origins whose pages boards show in frames of their own. */
  readonly boardFrames: () => Promise<readonly string[]>;
}

/** Serves console, viewer and element. */
export function mountPages(app: App, router: Router, facts: PageFacts): void {
  const boardFrames = async () => (await facts.boardFrames()).filter(isOrigin);
  // Within a host's page a reader is signed in silently: a frame goes to the directory and comes back.
  const { directory } = app.settings;
  const signsIn = directory ? [new URL(directory.issuer).origin].filter(isOrigin) : [];
  const assets = (name: string, prefix: string) =>
    router.get(`${prefix}/assets/{*path}`, (ctx: Context) =>
      send(ctx, ctx.path.slice(prefix.length), { root: dist(name), maxage: yearMs, immutable: true }),
    );
  assets('console', '/console');
  assets('viewer', '/viewer');
  assets('player', '/screen');
  router.get('/screen/worker.js', (ctx: Context) => {
    ctx.set('Cache-Control', 'no-cache');
    // A worker is bound by the policy that it came with.
    ctx.set('Content-Security-Policy', "default-src 'none'; connect-src 'self'");
    return send(ctx, 'worker.js', { root: dist('player') });
  });
  router.get('/screen/plain.js', (ctx: Context) => send(ctx, 'plain.js', { root: dist('player') }));
  // A screen on a wall, which nobody is signed in to; the console shows it in a frame of its own.
  router.get(['/screen', '/screen/'], (ctx: Context) =>
    sendPage(ctx, 'player', ["'self'"], { service: app.settings.publicUrl }),
  );
  router.get('/', (ctx: Context) => ctx.redirect('/console'));
  router.get(['/console', '/console/{*path}'], (ctx: Context) =>
    // What is drawn for paper is shown as the file that it is.
    sendPage(ctx, 'console', ["'none'"], {}, [], undefined, ['blob:']),
  );
  /** A page for others to frame. A stranger learns nothing from it: it is the same for what there is not. */
  const sendFramed = async (
    ctx: Context,
    shown: Readonly<Record<string, string>>,
    frames: readonly string[],
    links: readonly PageLink[] = [],
  ) => {
    const from = ctx.get('Referer');
    const origins = await facts.framers(from);
    const host = URL.canParse(from) ? new URL(from).origin : '';
    const around = { origins: origins.join(' '), ...(origins.includes(host) ? { host } : {}) };
    await sendPage(ctx, 'viewer', ["'self'", ...origins], { ...shown, ...around }, links, undefined, frames);
    ctx.vary('Referer');
  };
  router.get('/v/:name', async (ctx: Context & { params: { name: string } }) => {
    const placement = nameIn(ctx);
    const frames = [...(await boardFrames()), ...signsIn];
    await sendFramed(ctx, { placement }, frames, facts.placementLinks(`/v/${placement}`));
  });
  // What a public link shows is for who was given it: no search engine keeps it.
  router.get('/p/:key', async (ctx: Context & { params: { key: string } }) => {
    const { key } = ctx.params;
    const found = await facts.publicLink(key, ctx.ip);
    ctx.set('X-Robots-Tag', 'noindex, nofollow, noarchive');
    const origins = (found?.origins ?? []).filter(isOrigin);
    const shown = { placement: found?.name ?? 'ended', key, origins: '' };
    await sendPage(ctx, 'viewer', ["'self'", ...origins], shown, found?.links);
    ctx.set('Cache-Control', 'private, no-store');
  });
  router.get('/robots.txt', (ctx: Context) => {
    ctx.type = 'text/plain';
    ctx.body = 'User-agent: *\nDisallow: /\n';
  });
  // A report or a board in full, for those who are signed in.
  router.get('/r/:name', async (ctx: Context & { params: { name: string } }) => {
    const report = nameIn(ctx);
    await sendPage(ctx, 'viewer', ["'self'"], { report }, [], await facts.ahead(ctx, report));
  });
  router.get('/b/:name', async (ctx: Context & { params: { name: string } }) =>
    sendPage(ctx, 'viewer', ["'self'"], { board: nameIn(ctx) }, [], undefined, await boardFrames()),
  );
  // What lies in a folder, as a collection.
  router.get('/f/:name', async (ctx: Context & { params: { name: string } }) => {
    await sendFramed(ctx, { collection: nameIn(ctx), window: 'collection' }, signsIn);
  });
  // A tab of a channel, and what somebody has at hand: within a chat, which says who it is.
  const inChat = async (ctx: Context & { params: { chat: string } }, shown: Readonly<Record<string, string>>) => {
    const { chat } = ctx.params;
    if (!thingName.test(chat)) throw new Refusal('NOT_FOUND', 'Page not found.');
    await sendFramed(ctx, { ...shown, chat }, await boardFrames());
  };
  router.get('/t/:chat/:name', (ctx: Context & { params: { chat: string; name: string } }) =>
    inChat(ctx, { placement: nameIn(ctx) }),
  );
  router.get('/h/:chat', (ctx: Context & { params: { chat: string } }) => inChat(ctx, { window: 'home' }));
  // What people who use an app have there of their own: a side panel, and pages of figures beside the app's charts.
  for (const window of ['panel', 'pages'] as const)
    router.get(`/a/:name/${window}`, async (ctx: Context & { params: { name: string } }) => {
      await sendFramed(ctx, { window, app: nameIn(ctx) }, [...(await boardFrames()), ...signsIn]);
    });
  // Draws what the console hands it, in a frame of the console alone.
  router.get('/preview', async (ctx: Context) =>
    sendPage(ctx, 'viewer', ["'self'"], { window: 'preview' }, [], undefined, await boardFrames()),
  );
  // The window in which a reader signs in for a frame on another site.
  router.get('/sign-in/window', (ctx: Context) => sendPage(ctx, 'viewer', ["'none'"], { window: 'sign-in' }));
  // The element for hosts, and what it takes and tells, for their editors.
  for (const file of ['element.js', 'element.d.ts'])
    router.get(`/${file}`, async (ctx: Context) => {
      ctx.set('Access-Control-Allow-Origin', '*');
      ctx.set('Cross-Origin-Resource-Policy', 'cross-origin');
      await send(ctx, file, { root: dist('element'), maxage: 300_000 });
      // By its ending it would be a film.
      if (file.endsWith('.ts')) ctx.type = 'text/plain; charset=utf-8';
    });
  router.get('/health/live', (ctx: Context) => {
    ctx.body = { isAlive: true };
  });
  router.get('/health/ready', async (ctx: Context) => {
    const failed = await partsNotReady(app);
    ctx.body = { isReady: failed.size === 0 };
    if (failed.size === 0) return;
    for (const [part, error] of failed) app.log.warn({ err: error, part }, 'not ready');
    ctx.status = 503;
    ctx.set('Retry-After', '5');
    ctx.body = { isReady: false, reason: `not ready: ${[...failed.keys()].join(', ')}` };
  });
}
