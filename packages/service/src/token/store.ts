import type { JSONWebKeySet } from 'jose';
import { QueryTypes, Transaction } from 'sequelize';
import type { ClientBounds, ReportViewDetails } from '@underbell/core/access';
import type { TokenAlgorithm } from '@underbell/core/token';
import { defineRecord, lockThing, plain, type App } from '../platform/index.ts';

export interface ClientRow {
  id: string;
  title: string;
  /** Null for a client that signs assertions with a key of its own. */
  secretFingerprint: string | null;
  /** The secret before, for as long as it holds beside the new one. */
  formerFingerprint: string | null;
  formerUntil: Date | null;
  publicKeys: JSONWebKeySet | null;
  bounds: ClientBounds;
  state: 'active' | 'revoked';
}

export interface KeyRow {
  id: string;
  algorithm: TokenAlgorithm;
  publicJwk: Record<string, string>;
  sealedPrivateJwk: string;
  createdAt: Date;
  signsFrom: Date;
  retiredAt: Date | null;
}

export interface TokenRow {
  id: string;
  clientId: string;
  details: ReportViewDetails;
  issuedAt: Date;
  expiresAt: Date;
  revokedAt: Date | null;
  /** The token that this one was exchanged for; null for one that was asked for directly. */
  parentId: string | null;
  rootId: string;
  keyThumbprint: string | null;
  /** The person who handed it out; null where the program asked for it itself. */
  giverId: string | null;
}

const tables = (app: App) => ({
  clients: defineRecord<ClientRow>(app.records, 'clients', {
    id: 'key',
    title: 'text',
    secretFingerprint: 'text',
    formerFingerprint: 'text',
    formerUntil: 'instant',
    publicKeys: 'json',
    bounds: 'json',
    state: 'text',
  }),
  keys: defineRecord<KeyRow>(app.records, 'signing_keys', {
    id: 'key',
    algorithm: 'text',
    publicJwk: 'json',
    sealedPrivateJwk: 'text',
    createdAt: 'instant',
    signsFrom: 'instant',
    retiredAt: 'instant',
  }),
  tokens: defineRecord<TokenRow>(app.records, 'access_tokens', {
    id: 'key',
    clientId: 'text',
    details: 'json',
    issuedAt: 'instant',
    expiresAt: 'instant',
    revokedAt: 'instant',
    parentId: 'text',
    rootId: 'text',
    keyThumbprint: 'text',
    giverId: 'text',
  }),
});

export async function findClient(app: App, id: string): Promise<ClientRow | undefined> {
  const row = await tables(app).clients.findByPk(id);
  return row ? plain(row) : undefined;
}

/** A client, held so that two changes of it come one after the other. */
export async function holdClient(app: App, id: string): Promise<ClientRow | undefined> {
  await lockThing(app, 'client', id);
  const row = await tables(app).clients.findByPk(id);
  return row ? plain(row) : undefined;
}

export async function putClient(app: App, client: ClientRow): Promise<void> {
  await tables(app).clients.upsert(client);
}

export async function closeClient(app: App, id: string): Promise<void> {
  await tables(app).clients.update({ state: 'revoked' }, { where: { id } });
}

export async function listClients(app: App): Promise<ClientRow[]> {
  return (await tables(app).clients.findAll({ order: ['id'] })).map(plain);
}

/** Newest first. */
export async function listKeys(app: App): Promise<KeyRow[]> {
  return (await tables(app).keys.findAll({ order: [['signsFrom', 'DESC']] })).map(plain);
}

export async function addKey(app: App, key: KeyRow): Promise<void> {
  await tables(app).keys.create(key);
}

export async function retireKey(app: App, id: string, at: Date): Promise<void> {
  await tables(app).keys.update({ retiredAt: at }, { where: { id } });
}

export async function addToken(app: App, token: TokenRow): Promise<void> {
  await tables(app).tokens.create(token);
}

/** A token that was handed out with its client, if it still counts: its client active, itself not revoked. */
export async function livingToken(
  app: App,
  id: string,
  clientId: string,
): Promise<{ readonly token: TokenRow; readonly client: ClientRow } | undefined> {
  const [row, client] = await Promise.all([tables(app).tokens.findByPk(id), findClient(app, clientId)]);
  const token = row === null ? undefined : plain(row);
  const isAlive = token !== undefined && token.revokedAt === null && token.clientId === clientId;
  return isAlive && client?.state === 'active' ? { token, client } : undefined;
}

/** How many exchanges lie behind a token; holds it so that it cannot be revoked while another is made of it. */
export async function holdToken(
  app: App,
  id: string,
): Promise<{ readonly token: TokenRow; readonly depth: number } | undefined> {
  const row = await tables(app).tokens.findByPk(id, { lock: Transaction.LOCK.SHARE });
  if (!row || plain(row).revokedAt !== null) return undefined;
  const [line] = await app.records.query<{ depth: string }>(
    `WITH RECURSIVE line AS (
       SELECT parent_id FROM access_tokens WHERE id = $id
       UNION ALL SELECT t.parent_id FROM access_tokens t JOIN line ON t.id = line.parent_id)
     SELECT count(*) AS depth FROM line`,
    { bind: { id }, type: QueryTypes.SELECT },
  );
  return { token: plain(row), depth: Number(line!.depth) };
}

export async function listTokens(app: App, limit: number): Promise<TokenRow[]> {
  return (await tables(app).tokens.findAll({ order: [['issuedAt', 'DESC']], limit })).map(plain);
}

export async function findToken(app: App, id: string): Promise<TokenRow | undefined> {
  const row = await tables(app).tokens.findByPk(id);
  return row ? plain(row) : undefined;
}

/** Revokes a token and every one that was made of it. @returns how many */
export async function revokeToken(app: App, id: string): Promise<number> {
  // A share lock of an exchange going on is waited for, so that its child is found.
  await tables(app).tokens.findByPk(id, { lock: Transaction.LOCK.UPDATE });
  const rows = await app.records.query(
    `WITH RECURSIVE line AS (
       SELECT id FROM access_tokens WHERE id = $id
       UNION ALL SELECT t.id FROM access_tokens t JOIN line ON t.parent_id = line.id)
     UPDATE access_tokens SET revoked_at = $at WHERE id IN (SELECT id FROM line) AND revoked_at IS NULL RETURNING id`,
    { bind: { id, at: new Date(app.now()) }, type: QueryTypes.SELECT },
  );
  return rows.length;
}
