import { randomUUID } from 'node:crypto';
import {
  checkBounds,
  checkTokenDatasets,
  checkTokenFilter,
  fixesKey,
  isAtLeast,
  readAuthorizationDetails,
  requireRecord,
  type AskedDetails,
  type ClientBounds,
  type Moment,
  type PersonViewer,
  type ReportViewDetails,
  type TokenViewer,
} from '@underbell/core/access';
import { checkFilter, readFilter, type TypedNode } from '@underbell/core/filter';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { findPage, readParameters } from '@underbell/core/report';
import { signAccessToken, verifyAccessToken, type AccessTokenClaims } from '@underbell/core/token';
import {
  findPerson,
  giversOf,
  levelOf,
  listRules,
  notFound,
  ownedNames,
  requireRight,
  rightOn,
} from '../access/index.ts';
import { findDataset } from '../dataset/index.ts';
import { findPlacement, recordFieldsOf, resolvePlacement, type Placement } from '../placement/index.ts';
import { momentOf, nameNow, noteUse, remember, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { requireClient } from './clients.ts';
import { signingKeys } from './keys.ts';
import { addToken, findToken, listTokens, reportsOfTokens, livingToken, revokeToken } from './store.ts';
import type { ClientRow, TokenRow } from './models.ts';

const defaultLifetimeSeconds = 600;

/** The placement that details name, which must belong to their report; in an app, what their company has there. */
async function placementOf(
  app: App,
  details: { placement?: string; report?: string; person?: string; context?: Readonly<Record<string, string>> },
): Promise<(Placement & { readonly reportName: string }) | undefined> {
  if (details.placement === undefined) return undefined;
  const asked = await findPlacement(app, details.placement);
  const person = details.person === undefined ? undefined : await findPerson(app, { email: details.person });
  const who = { ...(person ? { person } : {}), record: details.context ?? {} };
  const { placement } = asked ? await resolvePlacement(app, asked, who) : {};
  // A board is of several reports; a token is for one.
  const reportName = placement?.reportName ?? undefined;
  if (placement && reportName !== undefined && (details.report ?? reportName) === reportName)
    return { ...placement, reportName };
  throw notFound('placement', details.placement, []);
}

/** The condition of a placement on a dataset, with the host's record behind `record('…')`. */
function placedCondition(
  placement: Placement | undefined,
  dataset: Awaited<ReturnType<typeof findDataset>>,
  details: ReportViewDetails,
  moment: Moment,
): TypedNode[] {
  const text =
    placement && Object.hasOwn(placement.conditions, dataset.name) ? placement.conditions[dataset.name] : undefined;
  if (text === undefined) return [];
  const valuesOf = (source: string, name: string) => {
    const value =
      source === 'record' && details.context && Object.hasOwn(details.context, name)
        ? details.context[name]
        : undefined;
    return value === undefined ? undefined : [value];
  };
  return [checkFilter(readFilter(text), { dataset, text, ...moment, valuesOf })];
}

/** Whether a parameter bound to the key is fixed by the token. */
function fixesByParameter(
  details: ReportViewDetails,
  parameters: readonly { name: string; key?: string }[],
  key: string,
): boolean {
  return parameters.some((one) => one.key === key && Object.hasOwn(details.parameters ?? {}, one.name));
}

/**
 * Refuses details that could not be shown later: unknown page, parameter or filter, a ruled dataset left open, or a key
 * that the client must fix left free.
 */
export async function checkDetails(app: App, details: ReportViewDetails, bounds?: ClientBounds): Promise<void> {
  const { definition } = await findEdition(app, details.report);
  const placement = await placementOf(app, details);
  details.pages?.forEach((page) => findPage(definition, page));
  readParameters(definition, details.parameters ?? {}, { today: momentOf(app).today, isPartial: true });
  if (details.person !== undefined && !(await findPerson(app, { email: details.person })))
    throw notFound('person', details.person, []);
  const datasets = Object.keys(definition.datasets);
  const where = details.where ?? {};
  checkTokenDatasets(where, datasets);
  const moment = momentOf(app);
  if (placement) requireRecord(await recordFieldsOf(app, placement), details.context);
  for (const name of datasets) {
    const [rules, dataset] = await Promise.all([listRules(app, name), findDataset(app, name)]);
    const beside = placedCondition(placement, dataset, details, moment);
    const node = checkTokenFilter(where, dataset, rules, moment, { hasPerson: details.person !== undefined, beside });
    for (const key of bounds?.mustFilter ?? []) {
      const isFixed =
        fixesByParameter(details, definition.parameters ?? [], key) ||
        [node, ...beside].some((one) => fixesKey(one, dataset, key));
      if (!isFixed)
        throw new Refusal('TOKEN_NEEDS_FILTER', `This client must fix the shared key “${key}” of dataset “${name}”.`, {
          pointer: `where/${name}`,
          word: key,
        });
    }
  }
}

/** Programs may know things by names that these had, as far as they may ask for them. */
async function withNamesNow(app: App, asked: AskedDetails, bounds: ClientBounds): Promise<AskedDetails> {
  const { report, placement } = asked;
  const reportNow = report === undefined ? undefined : await nameNow(app, { kind: 'report', name: report });
  const placementNow = placement === undefined ? undefined : await nameNow(app, { kind: 'placement', name: placement });
  return {
    ...asked,
    ...(reportNow !== undefined && bounds.reports.includes(reportNow) ? { report: reportNow } : {}),
    ...(placementNow === undefined ? {} : { placement: placementNow }),
  };
}

/** Asked for by report or by placement; settled, a token always has a report. */
async function resolveDetails(app: App, given: AskedDetails, bounds: ClientBounds): Promise<ReportViewDetails> {
  const asked = await withNamesNow(app, given, bounds);
  const placement = await placementOf(app, asked);
  const person = asked.person?.toLowerCase();
  return { ...asked, report: asked.report ?? placement!.reportName, ...(person ? { person } : {}) };
}

export interface IssuedToken {
  readonly access_token: string;
  readonly token_type: 'Bearer' | 'DPoP';
  readonly expires_in: number;
  readonly scope: string;
  readonly authorization_details: readonly [ReportViewDetails];
  readonly issued_token_type?: string;
}

interface Order {
  readonly client: ClientRow;
  readonly details: ReportViewDetails;
  readonly lifetimeSeconds: number;
  readonly keyThumbprint: string | undefined;
  readonly parent?: TokenRow;
  /** The person who hands it out; null where the program asks itself. */
  readonly giverId: string | null;
}

export async function make(app: App, order: Order, save: (row: TokenRow) => Promise<void>): Promise<IssuedToken> {
  const { client, details, lifetimeSeconds, keyThumbprint, parent } = order;
  const { publicUrl } = app.settings;
  const iat = Math.floor(app.now() / 1000);
  const scope = details.actions.join(' ');
  const claims: AccessTokenClaims = {
    iss: publicUrl,
    aud: publicUrl,
    sub: client.id,
    client_id: client.id,
    jti: randomUUID(),
    iat,
    exp: iat + lifetimeSeconds,
    scope,
    authorization_details: [details],
    ...(keyThumbprint ? { cnf: { jkt: keyThumbprint } } : {}),
  };
  const { signing } = await signingKeys(app);
  const token = await signAccessToken(claims, signing);
  await save({
    id: claims.jti,
    clientId: client.id,
    details,
    issuedAt: new Date(iat * 1000),
    expiresAt: new Date(claims.exp * 1000),
    revokedAt: null,
    parentId: parent?.id ?? null,
    rootId: parent?.rootId ?? claims.jti,
    keyThumbprint: keyThumbprint ?? null,
    giverId: order.giverId,
  });
  return {
    access_token: token,
    token_type: keyThumbprint ? 'DPoP' : 'Bearer',
    expires_in: lifetimeSeconds,
    scope,
    authorization_details: [details],
  };
}

export function requireProof(client: ClientRow, keyThumbprint: string | undefined): void {
  if (client.bounds.requiresProof && keyThumbprint === undefined)
    throw new Refusal('PROOF_INVALID', 'This client must prove possession of its key.', {
      hint: 'Send a DPoP header with the request.',
    });
}

/** Actions cut down to a scope, which names actions. */
export function withScope<T extends { actions?: ReportViewDetails['actions'] }>(
  details: T,
  scope: string | undefined,
): T {
  if (scope === undefined) return details;
  const words = scope.split(' ').filter((one) => one !== '');
  const unknown = words.find((one) => one !== 'view' && one !== 'export');
  if (unknown !== undefined || words.length === 0)
    throw new Refusal('INPUT_INVALID', `“${unknown ?? scope}” is not a scope. Scopes: view, export.`, {
      pointer: 'scope',
      word: unknown ?? scope,
    });
  const actions = words as ('view' | 'export')[];
  const kept = details.actions ? details.actions.filter((one) => actions.includes(one)) : actions;
  if (kept.length === 0)
    throw new Refusal('INPUT_INVALID', 'Scope and actions have nothing in common.', { pointer: 'scope' });
  return { ...details, actions: kept };
}

/**
 * Issues an access token within a client's bounds.
 *
 * @see RFC 6749 section 4.4, RFC 9068, RFC 9396
 */
export async function issueToken(
  app: App,
  client: ClientRow,
  asked: unknown,
  options: {
    readonly lifetimeSeconds?: number;
    readonly keyThumbprint?: string | undefined;
    readonly scope?: string | undefined;
    /** The person who hands it out. */
    readonly giver?: PersonViewer;
  } = {},
): Promise<IssuedToken> {
  await app.things.requireEnabledApp(client.id);
  const details = withScope(await resolveDetails(app, readAuthorizationDetails(asked), client.bounds), options.scope);
  checkBounds(details, client.bounds);
  requireProof(client, options.keyThumbprint);
  await checkDetails(app, details, client.bounds);
  const giverId = options.giver?.id ?? null;
  const person = details.person === undefined ? undefined : await findPerson(app, { email: details.person });
  await giversOf(
    app,
    { clientId: client.id, giverId, ...(person ? { person } : {}) },
    { report: details.report, level: levelOf(details), datasets: [] },
  );
  const lifetimeSeconds = Math.min(options.lifetimeSeconds ?? defaultLifetimeSeconds, client.bounds.maxLifetimeSeconds);
  const order = { client, details, lifetimeSeconds, keyThumbprint: options.keyThumbprint, giverId };
  return make(app, order, (row) => addToken(app, row));
}

async function viewerOf(
  app: App,
  token: Pick<TokenRow, 'id' | 'clientId' | 'details' | 'giverId'> & { expiresAt: number; keyThumbprint?: string },
): Promise<TokenViewer> {
  const { details } = token;
  const person = details.person === undefined ? undefined : await findPerson(app, { email: details.person });
  if (details.person !== undefined && !person)
    throw new Refusal('TOKEN_REVOKED', 'The user of the access token is deactivated.');
  return {
    kind: 'client',
    clientId: token.clientId,
    tokenId: token.id,
    where: details.where ?? {},
    details,
    expiresAt: token.expiresAt,
    giverId: token.giverId,
    ...(details.placement ? { placement: details.placement } : {}),
    ...(details.context ? { context: details.context } : {}),
    ...(token.keyThumbprint ? { keyThumbprint: token.keyThumbprint } : {}),
    ...(person ? { person } : {}),
  };
}

/**
 * Who stands behind an access token, if it still counts. Whether the asker proves the key that it is bound to, the caller asks.
 *
 * @throws {Refusal} `TOKEN_EXPIRED`, `TOKEN_INVALID`, `TOKEN_REVOKED`
 */
export async function tokenViewer(app: App, jwt: string): Promise<TokenViewer> {
  const viewer = await heldToken(app, jwt);
  await app.things.requireEnabledApp(viewer.clientId);
  return viewer;
}

/** The same also while its program may ask for nothing: then it can be taken back still. */
export async function heldToken(app: App, jwt: string): Promise<TokenViewer> {
  const { find } = await signingKeys(app);
  const { publicUrl } = app.settings;
  const claims = await verifyAccessToken(jwt, {
    findKey: find,
    issuer: publicUrl,
    audience: publicUrl,
    now: app.now(),
  });
  const living = await livingToken(app, claims.jti, claims.client_id);
  if (!living) throw new Refusal('TOKEN_REVOKED', 'The access token was revoked.');
  noteUse(app, 'access token', claims.jti);
  const { origins = [] } = living.client.bounds;
  const viewer = await viewerOf(app, {
    id: claims.jti,
    clientId: claims.client_id,
    // As they are kept: names in them follow what is renamed while the token lives.
    details: living.token.details,
    expiresAt: claims.exp * 1000,
    giverId: living.token.giverId,
    ...(claims.cnf ? { keyThumbprint: claims.cnf.jkt } : {}),
  });
  return { ...viewer, origins };
}

/** The viewer of a token that was handed out, by its number: for looking through its eyes without holding it. */
export async function describeToken(app: App, id: string): Promise<TokenViewer> {
  const row = await findToken(app, id);
  if (!row) throw notFound('token', id, []);
  return viewerOf(app, {
    ...row,
    expiresAt: row.expiresAt.getTime(),
    keyThumbprint: row.keyThumbprint ?? undefined,
  } as never);
}

/**
 * Issues a token on behalf of a client, by a person who owns the report: for trying a placement out. It reaches no more than
 * that person may see.
 */
export async function mintToken(
  app: App,
  person: PersonViewer,
  clientId: string,
  details: object & { report?: string; placement?: string },
  lifetimeSeconds?: number,
): Promise<IssuedToken> {
  const report = details.report ?? (await placementOf(app, details))?.reportName;
  if (report !== undefined) await requireRight(app, person, 'own', 'report', report);
  const client = await requireClient(app, person, clientId);
  const options = { giver: person, ...(lifetimeSeconds === undefined ? {} : { lifetimeSeconds }) };
  return issueToken(
    app,
    { ...client, bounds: { ...client.bounds, requiresProof: false } },
    [{ type: 'report_view', ...details }],
    options,
  );
}

/** So many tokens come at once. */
const tokensAtOnce = 200;

/** A page of tokens, and where the next begins; nothing after the last. */
export interface ShownTokens {
  readonly tokens: readonly ShownToken[];
  readonly next?: string;
}
type Told = Pick<ReportViewDetails, 'type' | 'report' | 'actions' | 'placement' | 'pages'>;
export type ShownToken = Omit<TokenRow, 'giverId' | 'details'> & {
  readonly details: ReportViewDetails | Told;
  readonly isCutDown?: true;
};

const cursorOf = ({ issuedAt, id }: TokenRow) =>
  Buffer.from(JSON.stringify([issuedAt.getTime(), id])).toString('base64url');

function readCursor(text: string): { issuedAt: Date; id: string } {
  try {
    const [at, id] = JSON.parse(Buffer.from(text, 'base64url').toString()) as [unknown, unknown];
    if (Number.isFinite(at) && typeof id === 'string') return { issuedAt: new Date(at as number), id };
  } catch {
    // Told below, as every other text that is no cursor.
  }
  throw new Refusal('INPUT_INVALID', 'No page of tokens starts here.', {
    pointer: '/after',
    word: text.slice(0, 60),
    hint: 'Use “next” of the previous page.',
  });
}

/**
 * The tokens that somebody may take back, newest first: those to reports of theirs, and those that they handed out. What a
 * token is cut down to tells of persons and records: whoever owns the report without deciding about its data sees that there
 * is a filter, not which.
 *
 * @throws {Refusal} `INPUT_INVALID` for a wrong `after`
 */
export async function tokensOf(
  app: App,
  person: PersonViewer,
  { after, isLiving = false }: { readonly after?: string; readonly isLiving?: boolean } = {},
): Promise<ShownTokens> {
  const reports = await ownedNames(app, person, 'report', await reportsOfTokens(app));
  const found = await listTokens(app, {
    reports,
    giverId: person.id,
    isLiving,
    ...(after === undefined ? {} : { after: readCursor(after) }),
    count: tokensAtOnce + 1,
  });
  const page = found.slice(0, tokensAtOnce);
  const open = new Set<string>();
  const owned = new Set(reports);
  for (const report of new Set(page.map((one) => one.details.report)))
    if (owned.has(report) && (await decidesAbout(app, person, report))) open.add(report);
  const tokens = page.map(({ giverId, details, ...token }): ShownToken => {
    const { type, report, placement, pages, actions } = details;
    const isOpen = giverId === person.id || open.has(report);
    const bare = { type, report, actions, ...(placement ? { placement } : {}), ...(pages ? { pages } : {}) };
    return { ...token, details: isOpen ? details : bare, ...(isOpen ? {} : { isCutDown: true }) };
  });
  return { tokens, ...(found.length > page.length ? { next: cursorOf(page.at(-1)!) } : {}) };
}

/** Every token that still counts and that somebody may take back. */
export async function livingTokens(app: App, person: PersonViewer): Promise<ShownToken[]> {
  const living: ShownToken[] = [];
  for (let after: string | undefined; ;) {
    const { tokens, next } = await tokensOf(app, person, { isLiving: true, ...(after === undefined ? {} : { after }) });
    living.push(...tokens);
    if (next === undefined) return living;
    after = next;
  }
}

async function decidesAbout(app: App, person: PersonViewer, report: string): Promise<boolean> {
  try {
    const { definition } = await findEdition(app, report);
    for (const dataset of Object.keys(definition.datasets))
      if (!isAtLeast(await rightOn(app, person, 'dataset', dataset), 'edit')) return false;
    return true;
  } catch (error) {
    // A report that lies in the trash, or is gone, has no data to decide about.
    if (isRefusal(error, 'NOT_FOUND')) return false;
    throw error;
  }
}

/** Takes one token back with all that were made of it, at once and everywhere. */
export async function revokeOne(app: App, person: PersonViewer, id: string, origin: string): Promise<void> {
  const token = await findToken(app, id);
  if (!token) throw notFound('token', id, []);
  if (token.giverId !== person.id && !isAtLeast(await rightOn(app, person, 'report', token.details.report), 'own'))
    throw notFound('token', id, []);
  await app.records.transaction(async () => {
    const count = await revokeToken(app, id);
    await remember(app, {
      who: person.email,
      what: 'token revoked',
      thing: `token ${id}`,
      origin,
      after: { tokens: count },
    });
  });
}
