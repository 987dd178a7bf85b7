import type { Context } from 'koa';
import type { JSONWebKeySet } from 'jose';
import type { ClientBounds, PersonViewer } from '@underbell/core/access';
import { Refusal, suggest } from '@underbell/core/refusal';
import { verifyAssertion } from '@underbell/core/token';
import { noSuch, requireRight } from '../access/index.ts';
import { findDataset } from '../dataset/index.ts';
import { fingerprint, isSameSecret, limitFailures, randomKey, remember, useOnce, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { closeClient, findClient, listClients, putClient, type ClientRow } from './store.ts';

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
    'the client must authenticate in one way: by HTTP Basic, by client_id and client_secret, or by a client_assertion',
  );
}

/** Alike for an unknown client, a wrong secret and a client that was revoked. */
const notKnown = () => new Refusal('CLIENT_INVALID', 'the client or its secret is wrong');

async function checkAssertion(app: App, client: ClientRow | undefined, assertion: string): Promise<boolean> {
  if (!client?.publicKeys) return false;
  const { publicUrl } = app.settings;
  const { id, expiresAt } = await verifyAssertion(assertion, {
    clientId: client.id,
    keys: client.publicKeys,
    audiences: [publicUrl, `${publicUrl}/oauth/token`],
    now: app.now(),
  });
  return useOnce(app, `assertion ${client.id} ${id}`, new Date((expiresAt + 10) * 1000));
}

/** @throws {Refusal} `CLIENT_INVALID`, `TOO_MANY` */
export function authenticateClient(app: App, ctx: Context, form: ClientForm): Promise<ClientRow> {
  const given = credentials(ctx, form);
  return limitFailures(app, 'client', `${given.id.slice(0, 60)} ${ctx.ip}`, async () => {
    const client = await findClient(app, given.id);
    const isRight =
      'assertion' in given
        ? await checkAssertion(app, client, given.assertion)
        : isSameSecret(fingerprint(given.secret), client?.secretFingerprint ?? '');
    if (client && isRight && client.state === 'active') return client;
    throw notKnown();
  });
}

/** An active client by name. @throws {Refusal} `NOT_FOUND` */
export async function requireClient(app: App, id: string): Promise<ClientRow> {
  const client = await findClient(app, id);
  if (client?.state === 'active') return client;
  const known = (await listClients(app)).filter((one) => one.state === 'active').map((one) => one.id);
  throw noSuch('client', id, known);
}

async function requireAllReports(app: App, person: PersonViewer, reports: readonly string[]): Promise<void> {
  for (const report of reports) await requireRight(app, person, 'own', 'report', report);
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
      throw new Refusal('INPUT_INVALID', `no dataset of these reports has the key \`${key}\``, {
        pointer: '/mustFilter',
        word: key,
        ...suggest(key, keys),
      });
  }
}

/** Registers a client, or gives a known one new bounds and a new secret. @returns the secret, shown only now */
export async function saveClient(
  app: App,
  person: PersonViewer,
  client: { id: string; title: string; bounds: ClientBounds; secret?: string; publicKeys?: JSONWebKeySet },
  origin: string,
): Promise<{ id: string; secret?: string }> {
  await requireAllReports(app, person, client.bounds.reports);
  const known = await findClient(app, client.id);
  if (known) await requireAllReports(app, person, known.bounds.reports);
  await checkKeys(app, client.bounds);
  const secret = client.publicKeys ? undefined : (client.secret ?? randomKey('ubc'));
  await app.records.transaction(async (transaction) => {
    await putClient(
      app,
      {
        id: client.id,
        title: client.title,
        secretFingerprint: secret === undefined ? null : fingerprint(secret),
        publicKeys: client.publicKeys ?? null,
        bounds: client.bounds,
        state: 'active',
      },
      transaction,
    );
    await remember(
      app,
      {
        who: person.email,
        what: 'client saved',
        thing: `client ${client.id}`,
        origin,
        before: known?.bounds,
        after: client.bounds,
      },
      transaction,
    );
  });
  return { id: client.id, ...(secret === undefined ? {} : { secret }) };
}

/** Ends a client: it gets no token any more, and those that it has count no more. */
export async function endClient(app: App, person: PersonViewer, id: string, origin: string): Promise<void> {
  const client = await findClient(app, id);
  if (!client) throw noSuch('client', id, []);
  await requireAllReports(app, person, client.bounds.reports);
  await app.records.transaction(async (transaction) => {
    await closeClient(app, id, transaction);
    await remember(app, { who: person.email, what: 'client ended', thing: `client ${id}`, origin }, transaction);
  });
}
