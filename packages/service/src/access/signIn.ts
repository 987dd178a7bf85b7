import { checkNewPassword } from '@underbell/core/access/password';
import type { Context } from 'koa';
import { type PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import {
  cookieName,
  lockAll,
  noteUse,
  fingerprint,
  hashPassword,
  isPassword,
  limitGuesses,
  isSameSecret,
  plain,
  randomKey,
  remember,
  type App,
} from '../platform/index.ts';
import { holderAndVersion, type SessionHolder } from './sessions.sql.ts';
import {
  addPerson,
  addSession,
  countPeople,
  findHolder,
  findPerson,
  findPersonRow,
  findSession,
  removeSession,
} from './store.ts';
import { settingRows } from '../platform/models.ts';
import type { PersonRow } from './models.ts';

export const sessionCookie = ({ settings }: App): string => cookieName(settings.publicUrl, 'session');
const sessionMs = {
  browser: 12 * 3_600_000,
  'command line': 30 * 24 * 3_600_000,
  frame: 3_600_000,
  chat: 3_600_000,
} as const;

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

/** Tells a browser that somebody has signed in from; says nothing to who does not hold the installation's secret. */
export const browserCookie = ({ settings }: App): string => cookieName(settings.publicUrl, 'browser');
const browserPurpose = 'known browser';

/** What a browser keeps of a person who signed in from it. */
export function browserKey(app: App, personId: string): string {
  const id = randomKey('b').slice(2, 14);
  return `${id}.${app.vault.sign(`${id} ${personId}`, browserPurpose)}`;
}

function isKnownBrowser(app: App, mark: string | undefined, personId: string | undefined): boolean {
  const [id, signature] = mark?.split('.') ?? [];
  if (!id || !signature || personId === undefined) return false;
  return isSameSecret(signature, app.vault.sign(`${id} ${personId}`, browserPurpose));
}

export interface SignInTry {
  readonly email: string;
  readonly password: string;
  readonly kind: SessionKind;
  readonly origin: string;
  /** What the browser keeps of an earlier time. */
  readonly browser?: string;
}

/** Keys hold the fingerprint of an address: any text somebody sends fits. */
const keyOf = (...parts: readonly string[]) => fingerprint(JSON.stringify(parts));

/**
 * Signs a person in with a password.
 *
 * Every try counts before the password is looked at: for the address that it comes from, for the person from there, and for
 * the person from everywhere. So many in parallel are no way round it, and what strangers try elsewhere slows down strangers:
 * a browser that the person has signed in from counts by itself.
 *
 * @throws {Refusal} `SIGN_IN_FAILED` alike for an unknown person and a wrong password, `RATE_LIMITED` alike as well
 */
export async function signIn(app: App, given: SignInTry) {
  const email = given.email.toLowerCase();
  const row = await findPersonRow(app, { email });
  const browser = isKnownBrowser(app, given.browser, row?.id) ? given.browser! : undefined;
  const check = () => checkPassword(app, row, given);
  if (browser !== undefined) return limitGuesses(app, 'sign-in known', keyOf(email, browser), check);
  return limitGuesses(app, 'sign-in', given.origin, () =>
    limitGuesses(app, 'sign-in here', keyOf(email, given.origin), () =>
      limitGuesses(app, 'sign-in anywhere', keyOf(email), check),
    ),
  );
}

async function checkPassword(app: App, row: PersonRow | undefined, { password, kind }: SignInTry) {
  const isRight = await isPassword(password, row?.passwordHash ?? null);
  if (!row || !isRight || (row.state !== 'active' && row.state !== 'guest'))
    throw new Refusal('SIGN_IN_FAILED', 'The email or the password is wrong.');
  const session = await startSession(app, row.id, kind);
  return { ...session, person: (await findPerson(app, { id: row.id }))! };
}

/** The session key that a request carries: a browser's cookie, or a bearer key of the command line. */
export function sessionKeyOf(app: App, ctx: Context): string | undefined {
  const bearer = /^Bearer (ubs_[\w-]+)$/.exec(ctx.get('Authorization'))?.[1];
  return bearer ?? ctx.cookies.get(sessionCookie(app));
}

/** Whose sessions were read when a request began. */
const begun = new WeakMap<Context, SessionHolder | null>();

/** Reads whose session it is, once, together with the version of the records. @returns the version; nothing without a session key */
export async function beginSession(app: App, ctx: Context): Promise<string | undefined> {
  const key = sessionKeyOf(app, ctx);
  if (key === undefined) return undefined;
  const print = fingerprint(key);
  const { holder, version } = await holderAndVersion(app, print);
  begun.set(ctx, holder ?? null);
  if (holder) noteUse(app, 'session', print);
  return version;
}

/** Who is signed in. What was read when the request began counts once; who asks again is looked up again. */
export async function personOf(app: App, ctx: Context): Promise<PersonViewer | undefined> {
  const known = begun.get(ctx);
  if (known !== undefined) {
    begun.delete(ctx);
    return findHolder(app, known ?? undefined);
  }
  const key = sessionKeyOf(app, ctx);
  if (key === undefined) return undefined;
  const print = fingerprint(key);
  const person = await findSession(app, print);
  if (person) noteUse(app, 'session', print);
  return person;
}

/** Ends a session by its key. */
export const endSession = (app: App, key: string): Promise<void> => removeSession(app, fingerprint(key));

export async function signOut(app: App, ctx: Context): Promise<void> {
  const key = sessionKeyOf(app, ctx);
  if (key !== undefined) await endSession(app, key);
}

/** Makes the one-time code with which the first visitor becomes administrator; none when there are people already. */
export async function makeSetupCode(app: App): Promise<string | undefined> {
  if ((await countPeople(app)) > 0) return undefined;
  const code = randomKey('setup').slice(6, 22);
  await settingRows(app).upsert({ name: 'setup code', value: fingerprint(code) });
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
  await checkNewPassword(options.password, [options.name, options.email]);
  return limitGuesses(app, 'setup', options.origin, () => makeAdministrator(app, options));
}

async function makeAdministrator(app: App, options: { code: string; email: string; name: string; password: string }) {
  const stored = await settingRows(app).findByPk('setup code');
  const passwordHash = await hashPassword(options.password);
  const id = await app.records.transaction(async () => {
    await lockAll(app.records, 'setup');
    if (!(await needsSetup(app))) throw new Refusal('SETUP_DONE', 'This installation already has an administrator.');
    if (!stored || !isSameSecret(fingerprint(options.code), String(plain(stored).value))) {
      throw new Refusal('SIGN_IN_FAILED', 'The one-time code is wrong.', {
        pointer: '/code',
        hint: 'The start command printed it.',
      });
    }
    const { email, name } = options;
    const made = await addPerson(app, { email, name, passwordHash, isAdministrator: true });
    await settingRows(app).destroy({ where: { name: 'setup code' } });
    await remember(app, { who: options.email, what: 'first administrator created', thing: `person ${options.email}` });
    return made;
  });
  return { ...(await startSession(app, id, 'browser')), person: (await findPerson(app, { id }))! };
}
