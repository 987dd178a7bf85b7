import { createServer, type Server } from 'node:http';
import Koa, { type Context, type Next } from 'koa';
import compress from 'koa-compress';
import helmet from 'koa-helmet';
import { framingOrigins, isPeopleKind, type TokenViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { capabilities } from './capabilities.ts';
import { beginSession, isSeen, personOf, requireStill, rightOn } from './access/index.ts';
import { listenForBounces } from './deliver/index.ts';
import { proofOf, tokenViewer } from './token/index.ts';
import { embedLinks, isPublicKey, publicPage, publicViewer } from './placement/index.ts';
import { answerAhead } from './view/index.ts';
import { answerErrors, describeApi, mountRoutes, type Identify, type Route } from './platform/http/index.ts';
import {
  defineRoute,
  perInstance,
  eventJobs,
  forgetSpent,
  joinInstallation,
  Worker,
  type App,
} from './platform/index.ts';
import { boardFrameOrigins } from './board/index.ts';
import { mountPages } from './platform/pages.ts';
import { believeProxies } from './platform/http/proxies.ts';

/** Takes half a second to write, and anybody may ask for it. */
const description = perInstance((asked) => describeApi(routes, asked.settings.publicUrl));

/** Every route of the service, the description of them among them. */
export const routes: Route[] = [
  ...capabilities.flatMap((one) => one.routes ?? []),
  defineRoute({
    method: 'get',
    path: '/openapi.json',
    tag: 'API description',
    audience: 'anyone',
    summary: 'Get this API as OpenAPI 3.1',
    handle: async ({ app: asked }) => description(asked),
  }),
];

/** Neither addresses' queries nor headers are logged: tokens and figures stay out of the log. */
function logRequests(app: App) {
  return async (ctx: Context, next: Next): Promise<void> => {
    const start = performance.now();
    await next();
    app.log.info(
      { method: ctx.method, path: ctx.path, status: ctx.status, ms: Math.round(performance.now() - start) },
      'request',
    );
  };
}

/** Who asks: an access token in the header wins over a cookie, so that a frame never shows more than its token. */
function identify(app: App): Identify {
  return {
    begin: (ctx) => beginSession(app, ctx),
    person: (ctx) => personOf(app, ctx),
    async client(ctx) {
      const [, scheme, token] = /^(Bearer|DPoP) (.+)$/.exec(ctx.get('Authorization')) ?? [];
      if (token === undefined || token.startsWith('ubs_')) return undefined;
      if (isPublicKey(token)) return publicViewer(app, token, { from: ctx.ip, isView: ctx.path.endsWith('/view') });
      const viewer = await tokenViewer(app, token);
      const isBound = viewer.keyThumbprint !== undefined;
      if (isBound !== (scheme === 'DPoP'))
        throw new Refusal('TOKEN_INVALID', 'The access token was sent with another scheme than it was issued for.');
      if (isBound && (await proofOf(app, ctx, token)) !== viewer.keyThumbprint)
        throw new Refusal('PROOF_INVALID', 'The DPoP proof is missing or uses another key.');
      return viewer;
    },
    async isShown({ kind, name }, { person, client }) {
      if (isPeopleKind(kind)) return person !== undefined && (await isSeen(app, person, { kind, name }));
      const other = await app.things.decidedWith({ kind, name });
      if (person)
        return (
          (await rightOn(app, person, kind, name)) !== undefined ||
          (other !== undefined && (await rightOn(app, person, other.kind, other.name)) !== undefined)
        );
      const { details } = (client ?? {}) as Partial<TokenViewer>;
      return details !== undefined && details.report === (kind === 'report' ? name : other?.name);
    },
    still: (person, decisions) => requireStill(app, person, decisions),
    // A proof is good once; that the key was held was proven when the request began.
    clientAgain(ctx) {
      const key = /^\w+ (.+)$/.exec(ctx.get('Authorization'))?.[1] ?? '';
      return isPublicKey(key) ? publicViewer(app, key, { from: ctx.ip, isView: false }) : tokenViewer(app, key);
    },
  };
}

function createKoa(app: App): Koa {
  const koa = new Koa();
  koa.on('error', (error: Error & { code?: string }) => {
    // A reader who leaves in the middle of an answer is no fault.
    if (error.code !== 'ECONNRESET' && error.code !== 'ERR_STREAM_PREMATURE_CLOSE')
      app.log.error({ err: error }, 'an answer broke off');
  });
  koa.use(believeProxies(app));
  koa.use(logRequests(app));
  koa.use(answerErrors(app));
  // Pages set their own policy; the rest is data.
  koa.use(
    helmet({
      contentSecurityPolicy: { useDefaults: false, directives: { defaultSrc: ["'none'"], frameAncestors: ["'none'"] } },
      frameguard: false,
      crossOriginOpenerPolicy: false,
      crossOriginEmbedderPolicy: false,
    }),
  );
  koa.use(compress({ threshold: 2048, br: false }));
  const known = identify(app);
  const router = mountRoutes(app, routes, known);
  for (const { mount } of capabilities) mount?.(app, router);
  mountPages(app, router, {
    placementLinks: (path) => embedLinks(app, path),
    framers: async (from) =>
      framingOrigins((await Promise.all(capabilities.map((one) => one.framers?.(app) ?? []))).flat(), from),
    ahead: (ctx, report) => answerAhead(app, ctx, report, known),
    publicLink: (key, from) => publicPage(app, key, from),
    boardFrames: () => boardFrameOrigins(app),
  });
  koa.use(router.routes());
  koa.use(router.allowedMethods());
  return koa;
}

/** How often a process looks whether it may listen for bounces, while another of this host does. */
const bouncesAgainMs = 30_000;

/** Listens for bounces; where another process of this host does already, when that has ended. */
async function listenWhenFree(app: App, address: string): Promise<void> {
  try {
    const { close } = await listenForBounces(app, address);
    app.atClose.add(close);
  } catch (error) {
    if ((error as { code?: string }).code !== 'EADDRINUSE') throw error;
    app.log.info({ address }, 'another process listens for bounces already');
    const timer = setTimeout(
      () =>
        void listenWhenFree(app, address).catch((failure: unknown) =>
          app.log.error({ err: failure }, 'bounces cannot be listened for'),
        ),
      bouncesAgainMs,
    );
    timer.unref();
    app.atClose.add(async () => clearTimeout(timer));
  }
}

/** Longer than proxies keep a connection that nobody uses: the one that takes it up again is never the one that finds it cut. */
const idleMs = 75_000;
/** How long a request may take to arrive in full. */
const uploadMs = 2 * 3_600_000;

/** Starts to answer. @returns the server once it listens; port 0 takes a free one */
export async function startWeb(app: App): Promise<Server> {
  await joinInstallation(app);
  // A file of gigabytes takes longer to arrive than the five minutes that a server usually gives.
  const server = createServer({ requestTimeout: uploadMs, keepAliveTimeout: idleMs }, createKoa(app).callback());
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(app.settings.port, app.settings.host, resolve);
  });
  const { bounceListenUrl } = app.settings;
  if (bounceListenUrl) await listenWhenFree(app, bounceListenUrl);
  return server;
}

/** How often what is spent is cleared away, a little at a time. */
const sweepMs = 15_000;

/** Starts to work through the queue. */
export function startWorker(app: App): Worker {
  const jobs = capabilities.flatMap((one) => one.jobs ?? []);
  const worker = new Worker(app, ...jobs, ...eventJobs(capabilities));
  worker.every(sweepMs, async () => void (await forgetSpent(app)));
  for (const { everyMs, work } of capabilities.flatMap((one) => one.clock ?? []))
    worker.every(everyMs, () => work(app));
  worker.start();
  return worker;
}

export function stopWeb(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => resolve());
    server.closeIdleConnections();
    setTimeout(() => server.closeAllConnections(), 2_000).unref();
  });
}
