import type { Context } from 'koa';
import type { JSONWebKeySet } from 'jose';
import {
  permissionOf,
  isAtLeast,
  mayPassOn,
  type ClientBounds,
  type Grant,
  type PersonViewer,
  type RightLevel,
} from '@underbell/core/access';
import { Refusal, suggest } from '@underbell/core/refusal';
import { verifyAssertion } from '@underbell/core/token';
import {
  boundOf,
  listGrants,
  notFound,
  ownedNames,
  putGrant,
  putOwner,
  removeClientGrants,
  requireAuthor,
  requireRight,
  rightOn,
  visibleNames,
  levelOf,
} from '../access/index.ts';
import { findDataset } from '../dataset/index.ts';
import {
  fingerprint,
  isSameSecret,
  limitFailures,
  randomKey,
  remember,
  useNonce,
  type App,
} from '../platform/index.ts';
import { findEdition } from '../report/index.ts';

import { closeClient, holdClient, findClient, listClients, putClient } from './store.ts';
import type { ClientRow } from './models.ts';

export const assertionType = 'urn:ietf:params:oauth:client-assertion-type:jwt-bearer';

export interface ClientForm {
  readonly client_id?: string;
  readonly client_secret?: string;
  readonly client_assertion?: string;
  readonly client_assertion_type?: string;
}

type Credentials = { readonly id: string } & ({ readonly secret: string } | { readonly assertion: string });

function strictBase64(text: string): string | undefined {
  const decoded = Buffer.from(text, 'base64');
  return decoded.toString('base64') === text ? decoded.toString('utf8') : undefined;
}

function decodeForm(part: string): string | undefined {
  try {
    return decodeURIComponent(part.replaceAll('+', ' '));
  } catch {
    return undefined;
  }
}

function basicCredentials(header: string): Credentials | undefined {
  const text = strictBase64(header);
  const at = text?.indexOf(':') ?? -1;
  if (text === undefined || at < 1) return undefined;
  const [id, secret] = [decodeForm(text.slice(0, at)), decodeForm(text.slice(at + 1))];
  return id && secret ? { id, secret } : undefined;
}

/** The subject of an assertion, unverified: only to find the keys to verify it with. */
function subjectOf(assertion: string): string | undefined {
  try {
    const payload = JSON.parse(Buffer.from(assertion.split('.')[1] ?? '', 'base64url').toString('utf8')) as {
      sub?: unknown;
    };
    return typeof payload.sub === 'string' ? payload.sub : undefined;
  } catch {
    return undefined;
  }
}

/**
 * The client's credentials: HTTP Basic, a secret in the form, or a signed assertion; exactly one of them.
 *
 * @see RFC 6749 section 2.3, RFC 7523 section 2.2
 */
function credentials(ctx: Context, form: ClientForm): Credentials {
  const header = ctx.get('Authorization');
  const basic = /^Basic ([A-Za-z0-9+/]+=*)$/.exec(header)?.[1];
  const ways = [header !== '', form.client_secret !== undefined, form.client_assertion !== undefined].filter(Boolean);
  if (ways.length === 1) {
    if (basic !== undefined) {
      const found = basicCredentials(basic);
      if (found && (form.client_id ?? found.id) === found.id) return found;
    } else if (form.client_assertion !== undefined && form.client_assertion_type === assertionType) {
      const id = subjectOf(form.client_assertion);
      if (id && (form.client_id ?? id) === id) return { id, assertion: form.client_assertion };
    } else if (form.client_id && form.client_secret) {
      return { id: form.client_id, secret: form.client_secret };
    }
  }
  throw new Refusal(
    'CLIENT_INVALID',
    'The client must authenticate in one way: HTTP Basic, client_id and client_secret, or client_assertion.',
  );
}

/** Alike for an unknown client, a wrong secret and a client that was revoked. */
const notKnown = () => new Refusal('CLIENT_INVALID', 'The client ID or secret is wrong.');

async function checkAssertion(app: App, client: ClientRow | undefined, assertion: string): Promise<boolean> {
  if (!client?.publicKeys) return false;
  const { publicUrl } = app.settings;
  const { id, expiresAt } = await verifyAssertion(assertion, {
    clientId: client.id,
    keys: client.publicKeys,
    audiences: [publicUrl, `${publicUrl}/oauth/token`],
    now: app.now(),
  });
  return useNonce(app, `assertion ${client.id} ${id}`, new Date((expiresAt + 10) * 1000));
}

/** Whether a secret is the client's, or the one before while that still holds. */
function holdsSecret(client: ClientRow | undefined, secret: string, now: number): boolean {
  const given = fingerprint(secret);
  const isOwn = isSameSecret(given, client?.secretFingerprint ?? '');
  const isFormer = isSameSecret(given, client?.formerFingerprint ?? '');
  return isOwn || (isFormer && (client?.formerUntil?.getTime() ?? 0) > now);
}

/** @throws {Refusal} `CLIENT_INVALID`, `RATE_LIMITED` */
export function authenticateClient(app: App, ctx: Context, form: ClientForm): Promise<ClientRow> {
  const given = credentials(ctx, form);
  return limitFailures(app, 'client', `${given.id.slice(0, 60)} ${ctx.ip}`, async () => {
    const client = await findClient(app, given.id);
    const isRight =
      'assertion' in given
        ? await checkAssertion(app, client, given.assertion)
        : holdsSecret(client, given.secret, app.now());
    if (client && isRight && client.state === 'active') return client;
    throw notKnown();
  });
}

/** An active client by name, for somebody who may use it. @throws {Refusal} `NOT_FOUND` */
export async function requireClient(app: App, person: PersonViewer, id: string): Promise<ClientRow> {
  const mine = await clientsOf(app, person);
  const client = mine.find((one) => one.id === id && one.state === 'active');
  if (client) return client;
  throw notFound(
    'client',
    id,
    mine.map((one) => one.id),
  );
}

/**
 * The clients that somebody may know of: their own, and those that reach a report of theirs; with those of their reports
 * that the person may see.
 */
export async function clientsOf(app: App, person: PersonViewer): Promise<ClientRow[]> {
  const all = await listClients(app);
  const names = [...new Set(all.flatMap((one) => one.bounds.reports))];
  const [mine, seen, owned] = await Promise.all([
    visibleNames(
      app,
      person,
      'client',
      all.map((one) => one.id),
    ),
    visibleNames(app, person, 'report', names),
    ownedNames(app, person, 'report', names),
  ]);
  return all
    .filter((one) => mine.includes(one.id) || one.bounds.reports.some((name) => owned.includes(name)))
    .map((one) => ({
      ...one,
      bounds: { ...one.bounds, reports: one.bounds.reports.filter((name) => seen.includes(name)) },
    }));
}

/**
 * Gives a program what it is to reach of these reports, as far as whoever registers it may: the reports, and those of their
 * datasets that they may pass on. What they may not give, somebody else has given before, or it is refused.
 */
async function giveReach(
  app: App,
  person: PersonViewer,
  { id, bounds }: { readonly id: string; readonly bounds: ClientBounds },
): Promise<Grant[]> {
  const level: RightLevel = levelOf(bounds);
  const held = await listGrants(app);
  const holder = { kind: 'client', name: id } as const;
  const given: Grant[] = [];
  const datasets = new Set<string>();
  for (const name of bounds.reports) {
    const right = await rightOn(app, person, 'report', name);
    if (mayPassOn(right, level)) given.push({ holder, thing: { kind: 'report', name }, level });
    else if (right === undefined) throw notFound('report', name, []);
    else if (!isAtLeast(permissionOf(held, [holder], { kind: 'report', name }), level))
      throw new Refusal('NOT_ALLOWED', `You cannot grant a client “${level}” on “${name}”.`, {
        pointer: '/reports',
        word: name,
        hint: 'An owner of the report must grant it to the client first.',
      });
    for (const dataset of Object.keys((await findEdition(app, name)).definition.datasets)) datasets.add(dataset);
  }
  for (const name of datasets)
    if (mayPassOn(await rightOn(app, person, 'dataset', name), level))
      given.push({ holder, thing: { kind: 'dataset', name }, level });
  return given;
}

/** Speaking for persons opens what each of them may see: an administrator alone gives a program that. */
function requireNaming(person: PersonViewer, bounds: ClientBounds): void {
  if (!bounds.mayNamePersons || person.isAdministrator) return;
  throw new Refusal('NOT_ALLOWED', 'Only an administrator can let a client act for users.', {
    pointer: '/mayNamePersons',
  });
}

/** Whoever may register programs, or may change this one. */
async function requireRegistrar(app: App, person: PersonViewer, known: ClientRow | undefined): Promise<void> {
  if (known) await requireRight(app, person, 'edit', 'client', known.id);
  else await requireAuthor(app, person, 'client');
}

/** A key that must be fixed but that no dataset of the reports has would fix nothing. */
async function checkKeys(app: App, bounds: ClientBounds): Promise<void> {
  const keys = new Set<string>();
  for (const report of bounds.reports) {
    const { definition } = await findEdition(app, report);
    for (const name of Object.keys(definition.datasets))
      for (const column of (await findDataset(app, name)).columns) if (column.key) keys.add(column.key);
  }
  for (const key of bounds.mustFilter ?? []) {
    if (!keys.has(key))
      throw new Refusal('INPUT_INVALID', `No dataset of these reports has the shared key “${key}”.`, {
        pointer: '/mustFilter',
        word: key,
        ...suggest(key, keys),
      });
  }
}

type Signing = Pick<ClientRow, 'secretFingerprint' | 'formerFingerprint' | 'formerUntil' | 'publicKeys'>;

/** How a client signs in: as it did, unless it is new, or comes with keys of its own or gives them up. */
function signingOf(
  living: ClientRow | undefined,
  client: { readonly secret?: string; readonly publicKeys?: JSONWebKeySet },
): Signing & { readonly secret?: string } {
  const none = { secretFingerprint: null, formerFingerprint: null, formerUntil: null, publicKeys: null };
  if (client.publicKeys) return { ...none, publicKeys: client.publicKeys };
  if (living?.secretFingerprint && client.secret === undefined) {
    const { secretFingerprint, formerFingerprint, formerUntil } = living;
    return { ...none, secretFingerprint, formerFingerprint, formerUntil };
  }
  const secret = client.secret ?? randomKey('ubc');
  return { ...none, secretFingerprint: fingerprint(secret), secret };
}

/**
 * Gives a client a new secret; the one before holds beside it for a while, so that nothing stands still meanwhile.
 *
 * @returns the secret, shown only now, and until when the one before holds
 */
export async function renewSecret(
  app: App,
  person: PersonViewer,
  id: string,
  { hours, origin }: { readonly hours: number; readonly origin: string },
): Promise<{ id: string; secret: string; formerUntil: Date }> {
  await requireClient(app, person, id);
  await requireRight(app, person, 'edit', 'client', id);
  const secret = randomKey('ubc');
  const formerUntil = new Date(app.now() + hours * 60 * 60_000);
  await app.records.transaction(async () => {
    const held = await holdClient(app, id);
    if (held?.state !== 'active') throw notFound('client', id, []);
    if (held.publicKeys)
      throw new Refusal('INPUT_INVALID', `Client “${id}” authenticates with its own key and has no secret.`, {
        pointer: 'id',
      });
    const change = {
      secretFingerprint: fingerprint(secret),
      formerFingerprint: held.secretFingerprint,
      formerUntil,
    };
    await putClient(app, { ...held, ...change });
    const entry = { who: person.email, what: 'client secret rotated', thing: `client ${id}`, origin };
    await remember(app, { ...entry, after: { formerUntil } });
  });
  return { id, secret, formerUntil };
}

/**
 * Registers a client, or gives a known one another title and other bounds; its secret stays.
 *
 * @param client - `isNew`: only a name that no client has
 * @returns the secret of a new one, shown only now
 * @throws {Refusal} `NAME_TAKEN`
 */
export async function saveClient(
  app: App,
  person: PersonViewer,
  client: {
    id: string;
    title: string;
    bounds: ClientBounds;
    secret?: string;
    publicKeys?: JSONWebKeySet;
    isNew?: boolean;
  },
  origin: string,
): Promise<{ id: string; secret?: string }> {
  const known = await findClient(app, client.id);
  await requireRegistrar(app, person, known);
  requireNaming(person, client.bounds);
  const given = await giveReach(app, person, client);
  const bounded = await Promise.all(
    given.map(async (grant) => ({ grant, boundedBy: await boundOf(app, person, grant.holder, grant.thing) })),
  );
  await checkKeys(app, client.bounds);
  const secret = await app.records.transaction(async () => {
    const held = await holdClient(app, client.id);
    const living = held?.state === 'active' ? held : undefined;
    // Only somebody who may know of it gets so far.
    if (client.isNew && living)
      throw new Refusal('NAME_TAKEN', `A client named “${client.id}” already exists.`, {
        word: client.id,
        hint: 'Update it, or rotate its secret.',
      });
    const { secret: made, ...signing } = signingOf(living, client);
    await putClient(app, { id: client.id, title: client.title, bounds: client.bounds, state: 'active', ...signing });
    if (!known) await putOwner(app, person, { kind: 'client', name: client.id });
    await removeClientGrants(app, client.id, { kind: 'report', names: client.bounds.reports });
    for (const { grant, boundedBy } of bounded) await putGrant(app, grant, { givenBy: person.id, boundedBy });
    await remember(app, {
      who: person.email,
      what: 'client saved',
      thing: `client ${client.id}`,
      origin,
      before: known?.bounds,
      after: client.bounds,
    });
    return made;
  });
  return { id: client.id, ...(secret === undefined ? {} : { secret }) };
}

/** Ends a client: it gets no token any more, and those that it has count no more. */
export async function endClient(app: App, person: PersonViewer, id: string, origin: string): Promise<void> {
  const client = await findClient(app, id);
  if (!client) throw notFound('client', id, []);
  await requireRight(app, person, 'own', 'client', id);
  await app.records.transaction(async () => {
    await closeClient(app, id);
    await removeClientGrants(app, id, { names: [] });
    await remember(app, { who: person.email, what: 'client revoked', thing: `client ${id}`, origin });
  });
}
