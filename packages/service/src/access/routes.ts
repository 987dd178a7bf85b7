import Joi from 'joi';
import { rightLevels, thingKinds, type Grant, type PersonViewer, type RecordRule } from '@underbell/core/access';
import { thingName } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import type { Context } from 'koa';
import { defineRoute, type Route } from '../platform/index.ts';
import { requireRight } from './rights.ts';
import { needsSetup, sessionCookie, setUp, signIn, signOut, type SessionKind } from './signIn.ts';
import { listPeople, listRules } from './store.ts';
import { dropRule, giveGrant, saveRule } from './usecases.ts';

const email = Joi.string().email({ tlds: false }).max(254);
const password = Joi.string().min(1).max(200);
export const thing = Joi.string()
  .pattern(thingName, 'lower-case letters, digits and hyphens, starting with a letter')
  .max(60);

const shownPerson = (person: PersonViewer) => ({
  email: person.email,
  name: person.name,
  isAdministrator: person.isAdministrator,
  groups: person.groups,
  attributes: person.attributes,
});

function setCookie(ctx: Context, key: string, expires: Date, isSecure: boolean): void {
  ctx.cookies.set(sessionCookie, key, { httpOnly: true, sameSite: 'lax', secure: isSecure, expires, overwrite: true });
}

const holder = Joi.alternatives().conditional('.kind', {
  is: 'everyone',
  then: Joi.object({ kind: Joi.string().valid('everyone').required() }),
  otherwise: Joi.object({
    kind: Joi.string().valid('person', 'group', 'everyone').required(),
    name: Joi.string().max(254).required(),
  }),
});

export const accessRoutes: Route[] = [
  defineRoute<Record<string, never>, Record<string, never>, { email: string; password: string; kind: SessionKind }>({
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
    answer: { description: 'the person, and for the command line the session key' },
    async handle({ app, ctx, body }) {
      const { key, expiresAt, person } = await signIn(app, body);
      if (body.kind === 'command line') return { person: shownPerson(person), key, expiresAt };
      setCookie(ctx, key, expiresAt, app.settings.publicUrl.startsWith('https:'));
      return { person: shownPerson(person) };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/session',
    tag: 'Session',
    audience: 'person',
    summary: 'Who is signed in',
    handle: async ({ person }) => ({ person: shownPerson(person) }),
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/session',
    tag: 'Session',
    audience: 'person',
    summary: 'Sign out',
    status: 204,
    async handle({ app, ctx }) {
      await signOut(app, ctx);
      ctx.cookies.set(sessionCookie, null);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/setup',
    tag: 'Session',
    audience: 'anyone',
    summary: 'Whether the first administrator is still missing',
    handle: async ({ app }) => ({ isNeeded: await needsSetup(app) }),
  }),
  defineRoute<
    Record<string, never>,
    Record<string, never>,
    { code: string; email: string; name: string; password: string }
  >({
    method: 'post',
    path: '/api/v1/setup',
    tag: 'Session',
    audience: 'anyone',
    summary: 'Make the first administrator with the one-time code',
    body: Joi.object({
      code: Joi.string().max(100).required(),
      email: email.required(),
      name: Joi.string().trim().min(1).max(200).required(),
      password: Joi.string().min(12).max(200).required(),
    }),
    async handle({ app, ctx, body }) {
      const { key, expiresAt, person } = await setUp(app, body);
      setCookie(ctx, key, expiresAt, app.settings.publicUrl.startsWith('https:'));
      return { person: shownPerson(person) };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/people',
    tag: 'People',
    audience: 'person',
    summary: 'Everyone, for administrators and publishers',
    async handle({ app, person }) {
      if (!person.isAdministrator && !person.groups.includes('Publishers'))
        throw new Refusal('NOT_ALLOWED', 'only publishers and administrators see people');
      return { people: (await listPeople(app)).map(shownPerson) };
    },
  }),
  defineRoute<{ dataset: string }>({
    method: 'get',
    path: '/api/v1/datasets/:dataset/rules',
    tag: 'Rules',
    audience: 'person',
    summary: 'The record rules of a dataset',
    params: Joi.object({ dataset: thing.required() }),
    async handle({ app, person, params }) {
      await requireRight(app, person, 'edit', 'dataset', params.dataset);
      return { rules: await listRules(app, params.dataset) };
    },
  }),
  defineRoute<
    { dataset: string; name: string },
    Record<string, never>,
    { appliesTo: RecordRule['appliesTo']; where: string }
  >({
    method: 'put',
    path: '/api/v1/datasets/:dataset/rules/:name',
    tag: 'Rules',
    audience: 'person',
    summary: 'Save a record rule',
    params: Joi.object({ dataset: thing.required(), name: thing.required() }),
    body: Joi.object({ appliesTo: holder.required(), where: Joi.string().max(16_384).required() }),
    async handle({ app, person, params, body, origin }) {
      const rule: RecordRule = { ...params, ...body };
      await saveRule(app, person, rule, origin);
      return { rule };
    },
  }),
  defineRoute<{ dataset: string; name: string }, { confirmed: boolean }>({
    method: 'delete',
    path: '/api/v1/datasets/:dataset/rules/:name',
    tag: 'Rules',
    audience: 'person',
    summary: 'Remove a record rule',
    status: 204,
    params: Joi.object({ dataset: thing.required(), name: thing.required() }),
    query: Joi.object({ confirmed: Joi.boolean().default(false) }),
    async handle({ app, person, params, query, origin }) {
      await dropRule(app, person, { ...params, isConfirmed: query.confirmed }, origin);
      return null;
    },
  }),
  defineRoute<Record<string, never>, Record<string, never>, Grant>({
    method: 'put',
    path: '/api/v1/grants',
    tag: 'People',
    audience: 'person',
    summary: 'Give a right on a thing',
    body: Joi.object({
      holder: holder.required(),
      thing: Joi.object({
        kind: Joi.string()
          .valid(...thingKinds)
          .required(),
        name: Joi.alternatives(thing, Joi.string().valid('*')).required(),
      }).required(),
      level: Joi.string()
        .valid(...rightLevels)
        .required(),
    }),
    async handle({ app, person, body, origin }) {
      await giveGrant(app, person, body, origin);
      return { grant: body };
    },
  }),
];
