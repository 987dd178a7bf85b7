import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import type { FollowedKind, FollowOutcome, ShownFollowed } from '@underbell/core/sync';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { nextInstants } from '@underbell/core/schedule';
import { emailsById, findPerson, notFound, rightOn } from '../access/index.ts';
import type { RefreshSchedule } from '../dataset/index.ts';
import {
  announce,
  enqueue,
  fingerprint,
  isThing,
  lockResource,
  randomKey,
  remember,
  type App,
} from '../platform/index.ts';
import { fetchFile, sealPassword } from './fetchFile.ts';
import { followedFiles, type FollowedRow } from './models.ts';
import {
  changeFollowed,
  findByHook,
  findFollowed,
  listFollowed,
  releaseFollowed,
  renameFree,
  claimSyncedFile,
} from './store.ts';
import { importFile } from './importFile.ts';

/** What looking at a file writes down, whoever saves it meanwhile. */
const written: readonly (keyof FollowedRow)[] = [
  'checkingUntil',
  'checkedAt',
  'changedAt',
  'problem',
  'hookFingerprint',
];

/** A file to be followed, as it is asked for. */
export interface FollowWish {
  readonly name: string;
  readonly kind: FollowedKind;
  /** The dataset that it becomes; a report or board says its own name. */
  readonly dataset?: string | undefined;
  readonly address: string;
  readonly user?: string | undefined;
  /** The one that is known stays when it is left out. */
  readonly password?: string | undefined;
  /** Null: not by itself. The one that is known stays when it is left out. */
  readonly schedule?: RefreshSchedule | null | undefined;
}

function shown(row: FollowedRow, emails: ReadonlyMap<string, string>): ShownFollowed<Date> {
  const { name, kind, thingName, address, username, sealedPassword, schedule, nextAt, hookFingerprint } = row;
  const { ownerId, checkedAt, changedAt, problem } = row;
  return {
    name,
    kind,
    ...(thingName === null ? {} : { thing: thingName }),
    address,
    ...(username === null ? {} : { user: username }),
    hasPassword: sealedPassword !== null,
    ...(schedule === null ? {} : { schedule }),
    ...(nextAt === null ? {} : { nextAt }),
    hasHook: hookFingerprint !== null,
    owner: emails.get(ownerId) ?? null,
    ...(checkedAt === null ? {} : { checkedAt }),
    ...(changedAt === null ? {} : { changedAt }),
    ...(problem === null ? {} : { problem }),
  };
}

/** Who follows a file knows of it, and administrators; others may have handed out what lies at its address. */
const isTheirs = (person: PersonViewer, row: FollowedRow) => person.isAdministrator || row.ownerId === person.id;

async function requireFollowed(app: App, person: PersonViewer, name: string): Promise<FollowedRow> {
  const row = await findFollowed(app, name);
  if (row && isTheirs(person, row)) return row;
  const known = (await listFollowed(app)).filter((one) => isTheirs(person, one)).map((one) => one.name);
  throw notFound('followed file', name, known);
}

export async function seenFollowed(app: App, person: PersonViewer): Promise<ShownFollowed<Date>[]> {
  const [all, emails] = await Promise.all([listFollowed(app), emailsById(app)]);
  return all.filter((one) => isTheirs(person, one)).map((one) => shown(one, emails));
}

export async function showFollowed(app: App, person: PersonViewer, name: string): Promise<ShownFollowed<Date>> {
  return shown(await requireFollowed(app, person, name), await emailsById(app));
}

function checkAddress(address: string): void {
  const { username, password, hash } = new URL(address);
  if (username !== '' || password !== '')
    throw new Refusal('INPUT_INVALID', 'The URL contains a username or password.', {
      pointer: '/address',
      hint: 'Use the username and password options: they are stored encrypted.',
    });
  if (hash !== '')
    throw new Refusal('INPUT_INVALID', 'The URL of a file cannot have a part after #.', { pointer: '/address' });
}

/** Whoever follows a file must be able to make of it what it becomes. */
async function requireUse(app: App, person: PersonViewer, kind: FollowedKind, thing: string | null): Promise<void> {
  const makes = kind === 'board' ? 'report' : kind;
  const isThere = thing !== null && (await isThing(app, { kind, name: thing }));
  const right = await rightOn(app, person, isThere ? kind : makes, isThere ? thing : '*');
  if (isAtLeast(right, 'edit')) return;
  if (thing !== null && isThere && right === undefined) throw notFound(kind, thing, []);
  throw new Refusal(
    'NOT_ALLOWED',
    `You do not have permission to ${isThere ? `edit ${kind} “${thing}”` : `create a ${kind}`}.`,
  );
}

/**
 * Follows a file: looks whether it can be fetched, and takes it over at once.
 *
 * @throws {Refusal} `SOURCE_UNREACHABLE`, `SOURCE_REFUSED`, `ADDRESS_FORBIDDEN` before anything is saved; `NOT_ALLOWED`
 */
export async function saveFollowed(app: App, person: PersonViewer, wish: FollowWish, origin: string) {
  const { name, kind, address, user, password, dataset } = wish;
  checkAddress(address);
  const before = await findFollowed(app, name);
  const schedule = wish.schedule === undefined ? (before?.schedule ?? null) : wish.schedule;
  if (before && !isTheirs(person, before))
    throw new Refusal('NAME_TAKEN', `Another user has a synced file named “${name}”.`, {
      word: name,
      hint: 'Use another name.',
    });
  const isSame = before?.kind === kind && before.address === address;
  if (before && isSame && dataset !== undefined && before.thingName !== dataset && kind === 'dataset')
    throw new Refusal('INPUT_INVALID', `The synced file belongs to “${before.thingName}”.`, { pointer: '/dataset' });
  const thingName = kind === 'dataset' ? dataset! : isSame ? before.thingName : null;
  await requireUse(app, person, kind, thingName);
  // A password is sent to nobody but whom it was given for.
  const isSameHost = before !== undefined && new URL(before.address).origin === new URL(address).origin;
  const sealedPassword =
    user === undefined
      ? null
      : password !== undefined
        ? sealPassword(app, password)
        : isSameHost && before.username === user && before.ownerId === person.id
          ? before.sealedPassword
          : null;
  const [next] = schedule ? nextInstants(schedule, app.now()) : [];
  if (schedule && next === undefined)
    throw new Refusal('SCHEDULE_NEVER', 'This recurrence has no occurrences.', {
      pointer: '/schedule/rule',
      word: schedule.rule,
    });
  const row: FollowedRow = {
    name,
    kind,
    thingName,
    address,
    username: user ?? null,
    sealedPassword,
    schedule,
    nextAt: next === undefined ? null : new Date(next),
    hookFingerprint: before?.hookFingerprint ?? null,
    etag: isSame ? before.etag : null,
    lastModified: isSame ? before.lastModified : null,
    digest: isSame ? before.digest : null,
    checkingUntil: before?.checkingUntil ?? null,
    checkedAt: before?.checkedAt ?? null,
    changedAt: before?.changedAt ?? null,
    problem: before?.problem ?? null,
    ownerId: person.id,
    madeAt: before?.madeAt ?? new Date(app.now()),
  };
  await fetchFile(app, { ...row, etag: null, lastModified: null }, () => Promise.resolve(true));
  await app.records.transaction(async () => {
    await lockResource(app, 'followed file', name);
    const now = await findFollowed(app, name);
    if (now?.ownerId !== before?.ownerId || now?.address !== before?.address)
      throw new Refusal('VERSION_CONFLICT', `Another user saved “${name}” at this moment.`, {
        word: name,
        hint: 'Reload and try again.',
      });
    // What looking at it writes is not written over by what it was before.
    const fields = (Object.keys(row) as (keyof FollowedRow)[]).filter(
      (one) => before === undefined || !written.includes(one),
    );
    await followedFiles(app).upsert(row, { fields });
    const { sealedPassword: _, hookFingerprint: _hook, ...after } = row;
    await remember(app, {
      who: person.email,
      what: 'synced file saved',
      thing: `followed file ${name}`,
      origin,
      after,
    });
  });
  const outcome = await checkNow(app, name).catch(async (error: unknown): Promise<FollowOutcome> => {
    if (!isRefusal(error, 'REFRESH_ACTIVE')) throw error;
    await enqueue(app, 'follow.check', { name });
    return { state: 'unchanged', words: 'It is being looked at already; it is looked at again after that.' };
  });
  return { file: await showFollowed(app, person, name), outcome };
}

/**
 * Follows a file under another name.
 *
 * @throws {Refusal} `NOT_FOUND`, `NAME_TAKEN`, `REFRESH_ACTIVE` while it is looked at: what comes of that is written under its name
 */
export async function renameFollowed(app: App, person: PersonViewer, name: string, to: string, origin: string) {
  await requireFollowed(app, person, name);
  if (to === name) return showFollowed(app, person, name);
  await app.records.transaction(async () => {
    await lockResource(app, 'followed file', to);
    if (await findFollowed(app, to))
      throw new Refusal('NAME_TAKEN', `A synced file named “${to}” already exists.`, { pointer: '/name', word: to });
    if (!(await renameFree(app, name, to)))
      throw new Refusal('REFRESH_ACTIVE', `“${name}” is being synced.`, { word: name, hint: 'Try again later.' });
    // A look that was asked for under the former name finds nobody.
    await enqueue(app, 'follow.check', { name: to });
    await remember(app, {
      who: person.email,
      what: 'synced file renamed',
      thing: `followed file ${to}`,
      origin,
      before: { name },
      after: { name: to },
    });
  });
  return showFollowed(app, person, to);
}

export async function dropFollowed(app: App, person: PersonViewer, name: string, origin: string): Promise<void> {
  const { address } = await requireFollowed(app, person, name);
  await app.records.transaction(async () => {
    await followedFiles(app).destroy({ where: { name } });
    const before = { address };
    await remember(app, {
      who: person.email,
      what: 'synced file deleted',
      thing: `followed file ${name}`,
      origin,
      before,
    });
  });
}

/** Makes the address that has the file looked at when it is called, or takes it away. The key is shown once. */
export async function makeFollowHook(app: App, person: PersonViewer, name: string, isWanted: boolean, origin: string) {
  await requireFollowed(app, person, name);
  const key = isWanted ? randomKey('ubf') : undefined;
  await app.records.transaction(async () => {
    await changeFollowed(app, { name }, { hookFingerprint: key ? fingerprint(key) : null });
    const what = isWanted ? 'sync webhook created' : 'sync webhook deleted';
    await remember(app, { who: person.email, what, thing: `followed file ${name}`, origin });
  });
  return key ? { url: `${app.settings.publicUrl}/api/v1/webhooks/sync/${key}` } : {};
}

/** A call of the secret address: the file is looked at in the background. @throws {Refusal} `NOT_FOUND` */
export async function callFollowHook(app: App, key: string): Promise<void> {
  const row = await findByHook(app, fingerprint(key));
  if (!row) throw notFound('follow address', '', []);
  await enqueue(app, 'follow.check', { name: row.name });
}

/** Looks at a file at once. @throws {Refusal} `NOT_FOUND`, `REFRESH_ACTIVE` */
export async function checkByHand(app: App, person: PersonViewer, name: string) {
  await requireFollowed(app, person, name);
  const outcome = await checkNow(app, name);
  return { file: await showFollowed(app, person, name), outcome };
}

/** What is wrong is marked and told to the owner: once, until it is something else. */
export async function noteProblem(app: App, row: FollowedRow, error: Refusal): Promise<void> {
  const details = error.details.problems?.map((one) => `${one.at}: ${one.message}`).slice(0, 10) ?? [];
  const { code } = error;
  const message = details.length > 0 ? `${error.message}: ${details.join('; ')}` : error.message;
  const isKnown = row.problem?.code === code && row.problem.message === message;
  const since = isKnown ? row.problem!.since : new Date(app.now()).toISOString();
  await app.records.transaction(async () => {
    await changeFollowed(app, row, {
      problem: { code, message, since },
      checkedAt: new Date(app.now()),
    });
    if (isKnown) return;
    const owner = await findPerson(app, { id: row.ownerId });
    if (!owner) return;
    const what =
      row.thingName === null ? 'Nothing was made of it.' : `The ${row.kind} “${row.thingName}” stays as it is.`;
    const text = `The synced file “${row.name}” (${row.address}) could not be imported:\n\n${message}\n\n${what}\n`;
    await enqueue(app, 'notice.mail', {
      to: owner.email,
      subject: `Sync failed: ${row.name}`,
      text,
    });
  });
}

/**
 * Looks at a file: unchanged, it costs one question; changed, it becomes the next edition or revision after the usual checks;
 * what fails leaves what was there.
 *
 * @throws {Refusal} `REFRESH_ACTIVE` while somebody else does
 */
export async function checkNow(app: App, name: string): Promise<FollowOutcome> {
  if (!(await claimSyncedFile(app, name)))
    throw new Refusal('REFRESH_ACTIVE', `“${name}” is being synced already.`, { word: name });
  const row = (await findFollowed(app, name))!;
  try {
    const person = await findPerson(app, { id: row.ownerId });
    if (!person)
      throw new Refusal('NOT_ALLOWED', 'The owner of the synced file is deactivated.', {
        hint: 'Save it again with your permissions.',
      });
    const found = await fetchFile(app, row, async (file) => ({
      file,
      taken: await importFile(app, person, row, file),
    }));
    const now = new Date(app.now());
    if (found === undefined) {
      await changeFollowed(app, row, { checkedAt: now, problem: null });
      return { state: 'unchanged', words: 'The file is what it was.' };
    }
    const { etag, lastModified } = found.file;
    const { thingName, digest, isNew } = found.taken;
    const known = { etag, lastModified, digest, thingName, problem: null, checkedAt: now };
    await app.records.transaction(async () => {
      await changeFollowed(app, row, { ...known, ...(isNew ? { changedAt: now } : {}) });
      await announce(app, { kind: row.kind, name: thingName });
    });
    return isNew
      ? { state: 'changed', words: `The ${row.kind} ${thingName} is what the file says now.` }
      : { state: 'unchanged', words: `The ${row.kind} ${thingName} says what the file says.` };
  } catch (error) {
    if (!isRefusal(error)) throw error;
    await noteProblem(app, row, error);
    return { state: 'failed', words: error.message };
  } finally {
    await releaseFollowed(app, name);
  }
}
