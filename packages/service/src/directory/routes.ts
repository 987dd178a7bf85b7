import { bodyParser } from '@koa/bodyparser';
import type Router from '@koa/router';
import type { Context } from 'koa';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { sessionCookie } from '../access/index.ts';
import { fingerprint, isSameSecret, limitFailures, type App } from '../platform/index.ts';
import { answerScim, scimConfig, type ScimKind } from './scim.ts';
import { beginSignIn, finishSignIn, silentPath } from './signIn.ts';

/** One for each sign-in that was begun: two of a browser do not end each other. */
const stateCookie = (state: string) => `underbell_sign_in_${fingerprint(state).slice(0, 12)}`;
const scimType = 'application/scim+json';

function signInRoutes(app: App, router: Router): void {
  const isSecure = app.settings.publicUrl.startsWith('https:');
  const options = { httpOnly: true, sameSite: 'lax', secure: isSecure, overwrite: true } as const;
  router.get('/sign-in/sso', async (ctx: Context) => {
    const isSilent = ctx.query['silent'] !== undefined;
    const { url, state } = await beginSignIn(app, String(ctx.query['return'] ?? ''), isSilent);
    ctx.cookies.set(stateCookie(state), isSilent ? `${state}.silent` : state, {
      ...options,
      maxAge: 10 * 60_000,
      path: '/sign-in',
    });
    ctx.set('Cache-Control', 'no-store');
    ctx.redirect(url);
  });
  // Nothing is on it: the frame that went to the directory sees that it is back.
  router.get(silentPath, (ctx: Context) => {
    ctx.set('Cache-Control', 'no-store');
    // Every page around has a say in who frames it, the host's as well; there is nothing to see or to press.
    ctx.set('Content-Security-Policy', "default-src 'none'; frame-ancestors *");
    ctx.type = 'html';
    ctx.body = '<!doctype html><title>Signed in</title>';
  });
  router.get('/sign-in/sso/callback', async (ctx: Context) => {
    ctx.set('Cache-Control', 'no-store');
    ctx.set('Referrer-Policy', 'no-referrer');
    const name = stateCookie(String(ctx.query['state'] ?? ''));
    const [state, silent] = ctx.cookies.get(name)?.split('.') ?? [];
    ctx.cookies.set(name, null, { path: '/sign-in' });
    try {
      const url = new URL(ctx.url, app.settings.publicUrl);
      const { key, expiresAt, returnTo } = await finishSignIn(app, url, state, ctx.ip);
      ctx.cookies.set(sessionCookie(app), key, { ...options, expires: expiresAt });
      ctx.redirect(returnTo);
    } catch (error) {
      if (!isRefusal(error)) throw error;
      app.log.info({ err: error.cause, code: error.code }, 'the directory sign-in was refused');
      if (silent !== undefined) return ctx.redirect(silentPath);
      // The page words the code: an address carries no text that somebody else could have written.
      ctx.redirect(`/console/sign-in?refused=${error.code.toLowerCase()}`);
    }
  });
}

/** The directory proves itself by the token of the settings. Without one there is nothing here. */
async function requireDirectory(app: App, ctx: Context): Promise<void> {
  const { scimToken } = app.settings;
  if (scimToken === undefined) throw new Refusal('NOT_FOUND', `${ctx.method} ${ctx.path} does not exist.`);
  await limitFailures(app, 'client', `scim ${ctx.ip}`, async () => {
    const given = /^Bearer (.+)$/.exec(ctx.get('Authorization'))?.[1] ?? '';
    if (!isSameSecret(given, scimToken)) throw new Refusal('CLIENT_INVALID', 'The provisioning token is wrong.');
  });
}

function scimRoutes(app: App, router: Router): void {
  const json = bodyParser({ enableTypes: ['json'], extendTypes: { json: [scimType] }, jsonLimit: '4mb' });
  const answer = (kind: ScimKind) => async (ctx: Context & { params: { id?: string } }) => {
    await requireDirectory(app, ctx);
    if (!['GET', 'DELETE'].includes(ctx.method)) await json(ctx as never, () => Promise.resolve());
    const { id } = ctx.params;
    const { body: given } = ctx.request as { body?: unknown };
    const request = { kind, method: ctx.method, query: { ...ctx.query }, body: given, ...(id ? { id } : {}) };
    const { status, body } = await answerScim({ app, origin: ctx.ip }, request);
    ctx.status = status;
    if (body === null) return;
    ctx.body = JSON.stringify(body);
    ctx.type = scimType;
  };
  for (const kind of ['Users', 'Groups'] as const) {
    router.get(`/scim/v2/${kind}`, answer(kind) as never);
    router.post(`/scim/v2/${kind}`, answer(kind) as never);
    for (const method of ['get', 'put', 'patch', 'delete'] as const)
      router[method](`/scim/v2/${kind}/:id`, answer(kind) as never);
  }
  for (const kind of ['Schemas', 'ResourceTypes'] as const)
    for (const path of [`/scim/v2/${kind}`, `/scim/v2/${kind}/:id`]) router.get(path, answer(kind) as never);
  router.get('/scim/v2/ServiceProviderConfig', async (ctx: Context) => {
    await requireDirectory(app, ctx);
    ctx.body = JSON.stringify(scimConfig(app));
    ctx.type = scimType;
  });
}

/** What an outside directory speaks to: sign-in by OpenID Connect, provisioning by SCIM 2.0. */
export function mountDirectory(app: App, router: Router): void {
  signInRoutes(app, router);
  scimRoutes(app, router);
}
