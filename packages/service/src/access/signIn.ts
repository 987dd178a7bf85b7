import type { Context } from 'koa';
import { checkNewPassword, type PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import {
  fingerprint,
  hashPassword,
  isPassword,
  limitFailures,
  isSameSecret,
  plain,
  defineRecord,
  randomKey,
  remember,
  type App,
} from '../platform/index.ts';
import {
  addPerson,
  addSession,
  countPeople,
  findPerson,
  findPersonRow,
  findSession,
  noteSignIn,
  removeSession,
} from './store.ts';

export const sessionCookie = 'underbell_session';
const sessionMs = { browser: 12 * 3_600_000, 'command line': 30 * 24 * 3_600_000, frame: 3_600_000 } as const;
const allowedFailures = 8;
const lockMs = 5 * 60_000;

export type SessionKind = keyof typeof sessionMs;

/** Starts a session for a person whose identity is settled. @returns its key, shown only now */
export async function startSession(
  app: App,
  personId: string,
  kind: SessionKind,
): Promise<{ key: string; expiresAt: Date }> {
  const key = randomKey('ubs');
  const now = app.now();
  const expiresAt = new Date(now + sessionMs[kind]);
  await addSession(app, { fingerprint: fingerprint(key), personId, kind, createdAt: new Date(now), expiresAt });
  return { key, expiresAt };
}

/**
 * Signs a person in with a password.
 *
 * @throws {Refusal} `SIGN_IN_FAILED` alike for an unknown person and a wrong password, `SIGN_IN_LOCKED` after too many
 */
export async function signIn(
  app: App,
  options: { email: string; password: string; kind: SessionKind; origin: string },
) {
  return limitFailures(app, 'sign-in', options.origin, () => checkPassword(app, options));
}

async function checkPassword(app: App, options: { email: string; password: string; kind: SessionKind }) {
  const row = await findPersonRow(app, { email: options.email });
  const isLocked = row?.lockedUntil !== null && row?.lockedUntil !== undefined && row.lockedUntil.getTime() > app.now();
  const isRight = await isPassword(options.password, row?.passwordHash ?? null);
  if (isLocked) {
    throw new Refusal('SIGN_IN_LOCKED', 'too many failed attempts; try again in a few minutes');
  }
  if (!row || !isRight || (row.state !== 'active' && row.state !== 'guest')) {
    if (row) {
      const failures = row.failedSignIns + 1;
      await noteSignIn(
        app,
        row.id,
        failures % allowedFailures,
        failures >= allowedFailures ? new Date(app.now() + lockMs) : null,
      );
    }
    throw new Refusal('SIGN_IN_FAILED', 'the address or the password is wrong');
  }
  if (row.failedSignIns > 0 || row.lockedUntil) await noteSignIn(app, row.id, 0, null);
  const session = await startSession(app, row.id, options.kind);
  return { ...session, person: (await findPerson(app, { id: row.id }))! };
}

/** The session key that a request carries: a browser's cookie, or a bearer key of the command line. */
export function sessionKeyOf(ctx: Context): string | undefined {
  const bearer = /^Bearer (ubs_[\w-]+)$/.exec(ctx.get('Authorization'))?.[1];
  return bearer ?? ctx.cookies.get(sessionCookie);
}

export async function personOf(app: App, ctx: Context): Promise<PersonViewer | undefined> {
  const key = sessionKeyOf(ctx);
  return key === undefined ? undefined : findSession(app, fingerprint(key));
}

export async function signOut(app: App, ctx: Context): Promise<void> {
  const key = sessionKeyOf(ctx);
  if (key !== undefined) await removeSession(app, fingerprint(key));
}

const settingsTable = (app: App) =>
  defineRecord<{ name: string; value: unknown }>(app.records, 'settings', { name: 'key', value: 'json' });

/** Makes the one-time code with which the first visitor becomes administrator; none when there are people already. */
export async function makeSetupCode(app: App): Promise<string | undefined> {
  if ((await countPeople(app)) > 0) return undefined;
  const code = randomKey('setup').slice(6, 22);
  await settingsTable(app).upsert({ name: 'setup code', value: fingerprint(code) });
  return code;
}

export async function needsSetup(app: App): Promise<boolean> {
  return (await countPeople(app)) === 0;
}

/**
 * Makes the first administrator.
 *
 * @throws {Refusal} `SETUP_DONE`, `SIGN_IN_FAILED` for a wrong code
 */
export async function setUp(
  app: App,
  options: { code: string; email: string; name: string; password: string; origin: string },
) {
  checkNewPassword(options.password, [options.name, options.email]);
  return limitFailures(app, 'setup', options.origin, () => makeAdministrator(app, options));
}

async function makeAdministrator(app: App, options: { code: string; email: string; name: string; password: string }) {
  const stored = await settingsTable(app).findByPk('setup code');
  const passwordHash = await hashPassword(options.password);
  const id = await app.records.transaction(async (transaction) => {
    await app.records.query('SELECT pg_advisory_xact_lock(730003)', { transaction });
    if (!(await needsSetup(app))) throw new Refusal('SETUP_DONE', 'this installation already has its administrator');
    if (!stored || !isSameSecret(fingerprint(options.code), String(plain(stored).value))) {
      throw new Refusal('SIGN_IN_FAILED', 'the one-time code is wrong', {
        pointer: '/code',
        hint: 'the start command printed it',
      });
    }
    const { email, name } = options;
    const made = await addPerson(app, { email, name, passwordHash, isAdministrator: true }, transaction);
    await settingsTable(app).destroy({ where: { name: 'setup code' }, transaction });
    await remember(
      app,
      { who: options.email, what: 'first administrator made', thing: `person ${options.email}` },
      transaction,
    );
    return made;
  });
  return { ...(await startSession(app, id, 'browser')), person: (await findPerson(app, { id }))! };
}
