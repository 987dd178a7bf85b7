import type { Transaction } from 'sequelize';
import type { ClientBounds, ReportViewDetails } from '@underbell/core/access';
import { defineRecord, plain, type App } from '../platform/index.ts';

export interface ClientRow {
  id: string;
  title: string;
  secretFingerprint: string;
  bounds: ClientBounds;
  state: 'active' | 'revoked';
}

export interface KeyRow {
  id: string;
  publicJwk: Record<string, string>;
  sealedPrivateJwk: string;
  createdAt: Date;
}

export interface TokenRow {
  id: string;
  clientId: string;
  details: ReportViewDetails;
  issuedAt: Date;
  expiresAt: Date;
  revokedAt: Date | null;
}

const tables = (app: App) => ({
  clients: defineRecord<ClientRow>(app.records, 'clients', {
    id: 'key',
    title: 'text',
    secretFingerprint: 'text',
    bounds: 'json',
    state: 'text',
  }),
  keys: defineRecord<KeyRow>(app.records, 'signing_keys', {
    id: 'key',
    publicJwk: 'json',
    sealedPrivateJwk: 'text',
    createdAt: 'instant',
  }),
  tokens: defineRecord<TokenRow>(app.records, 'access_tokens', {
    id: 'key',
    clientId: 'text',
    details: 'json',
    issuedAt: 'instant',
    expiresAt: 'instant',
    revokedAt: 'instant',
  }),
});

export async function findClient(app: App, id: string): Promise<ClientRow | undefined> {
  const row = await tables(app).clients.findByPk(id);
  return row ? plain(row) : undefined;
}

export async function putClient(app: App, client: ClientRow, transaction: Transaction): Promise<void> {
  await tables(app).clients.upsert(client, { transaction });
}

export async function listClients(app: App): Promise<ClientRow[]> {
  return (await tables(app).clients.findAll({ order: ['id'] })).map(plain);
}

export async function listKeys(app: App): Promise<KeyRow[]> {
  return (await tables(app).keys.findAll({ order: [['createdAt', 'DESC']] })).map(plain);
}

export async function addKey(app: App, key: KeyRow): Promise<void> {
  await tables(app).keys.create(key);
}

export async function addToken(app: App, token: TokenRow): Promise<void> {
  await tables(app).tokens.create(token);
}

/** A token that was handed out, if it still counts: its client active, itself not revoked. */
export async function isTokenAlive(app: App, id: string, clientId: string): Promise<boolean> {
  const [token, client] = await Promise.all([tables(app).tokens.findByPk(id), findClient(app, clientId)]);
  return (
    token !== null &&
    plain(token).revokedAt === null &&
    plain(token).clientId === clientId &&
    client?.state === 'active'
  );
}

export async function listTokens(app: App, limit: number): Promise<TokenRow[]> {
  return (await tables(app).tokens.findAll({ order: [['issuedAt', 'DESC']], limit })).map(plain);
}

export async function findToken(app: App, id: string): Promise<TokenRow | undefined> {
  const row = await tables(app).tokens.findByPk(id);
  return row ? plain(row) : undefined;
}

export async function revokeToken(app: App, id: string, transaction: Transaction): Promise<boolean> {
  const [changed] = await tables(app).tokens.update(
    { revokedAt: new Date(app.now()) },
    { where: { id, revokedAt: null }, transaction },
  );
  return changed > 0;
}
