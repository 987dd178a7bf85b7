import Joi from 'joi';
import type { Context } from 'koa';
import { type ShownSession, type PersonViewer, type ShownPerson } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { defineRoute, type App, type Route } from '../platform/index.ts';
import { acceptInvitation, changePassword, showInvitation } from './people.ts';
import { isAuthor } from './rights.ts';
import { email, password } from './schemas.ts';
import {
  browserCookie,
  browserKey,
  needsSetup,
  sessionCookie,
  setUp,
  signIn,
  signOut,
  startSession,
} from './signIn.ts';
import { findPerson } from './store.ts';

export const shownPerson = (person: PersonViewer): ShownPerson => ({
  email: person.email,
  name: person.name,
  isAdministrator: person.isAdministrator,
  groups: person.groups,
  attributes: person.attributes,
});

function setCookie(app: App, ctx: Context, key: string, expires: Date): void {
  const isSecure = app.settings.publicUrl.startsWith('https:');
  ctx.cookies.set(sessionCookie(app), key, {
    httpOnly: true,
    sameSite: 'lax',
    secure: isSecure,
    expires,
    overwrite: true,
  });
}

const yearMs = 365 * 24 * 3_600_000;

/** Lets the browser be known when it comes again, so that strangers' wrong passwords do not keep its person out. */
function knowBrowser(app: App, ctx: Context, personId: string): void {
  ctx.cookies.set(browserCookie(app), browserKey(app, personId), {
    httpOnly: true,
    sameSite: 'lax',
    secure: app.settings.publicUrl.startsWith('https:'),
    maxAge: yearMs,
    overwrite: true,
  });
}

export const sessionRoutes: Route[] = [
  defineRoute({
    method: 'post',
    path: '/api/v1/session',
    tag: 'Session',
    audience: 'anyone',
    summary: 'Sign in with a password',
    body: Joi.object({
      email: email.required(),
      password: password.required(),
      kind: Joi.string().valid('browser', 'command line').default('browser'),
    }),
    answer: { description: 'the user, and for the command line the session token' },
    async handle({ app, ctx, body, origin }) {
      const browser = ctx.cookies.get(browserCookie(app));
      const { key, expiresAt, person } = await signIn(app, { ...body, origin, ...(browser ? { browser } : {}) });
      if (body.kind === 'command line') return { person: shownPerson(person), key, expiresAt };
      setCookie(app, ctx, key, expiresAt);
      knowBrowser(app, ctx, person.id);
      return { person: shownPerson(person) };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/session',
    tag: 'Session',
    audience: 'person',
    summary: 'Get the current session',
    isRemembered: true,
    handle: async ({ app, person }): Promise<ShownSession> => ({
      person: shownPerson(person),
      isAuthor: await isAuthor(app, person),
      timeZone: app.settings.timeZone,
    }),
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/session',
    tag: 'Session',
    audience: 'person',
    summary: 'Sign out',
    isForReaders: true,
    status: 204,
    async handle({ app, ctx }) {
      await signOut(app, ctx);
      ctx.cookies.set(sessionCookie(app), null);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/setup',
    tag: 'Session',
    audience: 'anyone',
    summary: 'Get the setup state and whether single sign-on is available',
    handle: async ({ app }) => ({
      isNeeded: await needsSetup(app),
      hasDirectory: app.settings.directory !== undefined,
    }),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/setup',
    tag: 'Session',
    audience: 'anyone',
    summary: 'Create the first administrator with the one-time code',
    body: Joi.object({
      code: Joi.string().max(100).required(),
      email: email.required(),
      name: Joi.string().trim().min(1).max(200).required(),
      password: Joi.string().min(12).max(200).required(),
    }),
    async handle({ app, ctx, body, origin }) {
      const { key, expiresAt, person } = await setUp(app, { ...body, origin });
      setCookie(app, ctx, key, expiresAt);
      return { person: shownPerson(person) };
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/session/password',
    tag: 'Session',
    audience: 'person',
    summary: 'Change your password; all sessions end',
    status: 204,
    body: Joi.object({ current: password.required(), password: password.required() }),
    async handle({ app, person, body, origin }) {
      await changePassword(app, person, body, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/invitations/lookup',
    tag: 'Session',
    audience: 'anyone',
    summary: 'Get an invitation',
    body: Joi.object({ key: Joi.string().max(100).required() }),
    handle: ({ app, body, origin }) => showInvitation(app, body.key, origin),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/invitations/accept',
    tag: 'Session',
    audience: 'anyone',
    summary: 'Accept an invitation with a first password, and sign in',
    body: Joi.object({ key: Joi.string().max(100).required(), password: password.required() }),
    async handle({ app, ctx, body, origin }) {
      const id = await acceptInvitation(app, body, origin);
      const { key, expiresAt } = await startSession(app, id, 'browser');
      setCookie(app, ctx, key, expiresAt);
      return { person: shownPerson((await findPerson(app, { id }))!) };
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/session/frame',
    tag: 'Session',
    audience: 'person',
    summary: 'Create a short-lived session token for a frame on another site',
    async handle({ app, ctx, person }) {
      // Only the first-party window with its cookie hands one out; a key makes no other keys.
      if (ctx.get('Authorization') !== '')
        throw new Refusal('NOT_ALLOWED', 'A session token cannot create another one.');
      return startSession(app, person.id, 'frame');
    },
  }),
];
