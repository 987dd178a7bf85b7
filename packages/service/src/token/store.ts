import { fn, literal, Op, Transaction, where } from 'sequelize';
import { all, one, lockResource, plain, type App } from '../platform/index.ts';
import { accessTokens, clients, signingKeys, type ClientRow, type KeyRow, type TokenRow } from './models.ts';
import { exchangesBehind, revokeLine } from './tokenChains.sql.ts';

export async function findClient(app: App, id: string): Promise<ClientRow | undefined> {
  return one(clients(app).findByPk(id));
}

/** A client, held so that two changes of it come one after the other. */
export async function holdClient(app: App, id: string): Promise<ClientRow | undefined> {
  await lockResource(app, 'client', id);
  return one(clients(app).findByPk(id));
}

export async function putClient(app: App, client: ClientRow): Promise<void> {
  await clients(app).upsert(client);
}

export async function closeClient(app: App, id: string): Promise<void> {
  await clients(app).update({ state: 'revoked' }, { where: { id } });
}

export async function listClients(app: App): Promise<ClientRow[]> {
  return all(clients(app).findAll({ order: ['id'] }));
}

/** Newest first. */
export async function listKeys(app: App): Promise<KeyRow[]> {
  return all(signingKeys(app).findAll({ order: [['signsFrom', 'DESC']] }));
}

export async function addKey(app: App, key: KeyRow): Promise<void> {
  await signingKeys(app).create(key);
}

export async function retireKey(app: App, id: string, at: Date): Promise<void> {
  await signingKeys(app).update({ retiredAt: at }, { where: { id } });
}

export async function addToken(app: App, token: TokenRow): Promise<void> {
  await accessTokens(app).create(token);
}

/** A token that was handed out with its client, if it still counts: its client active, itself not revoked. */
export async function livingToken(
  app: App,
  id: string,
  clientId: string,
): Promise<{ readonly token: TokenRow; readonly client: ClientRow } | undefined> {
  const [row, client] = await Promise.all([accessTokens(app).findByPk(id), findClient(app, clientId)]);
  const token = row === null ? undefined : plain(row);
  const isAlive = token !== undefined && token.revokedAt === null && token.clientId === clientId;
  return isAlive && client?.state === 'active' ? { token, client } : undefined;
}

/** How many exchanges lie behind a token; holds it so that it cannot be revoked while another is made of it. */
export async function holdToken(
  app: App,
  id: string,
): Promise<{ readonly token: TokenRow; readonly depth: number } | undefined> {
  const row = await accessTokens(app).findByPk(id, { lock: Transaction.LOCK.SHARE });
  if (!row || plain(row).revokedAt !== null) return undefined;
  return { token: plain(row), depth: await exchangesBehind(app, id) };
}

const isLiving = (app: App) => ({ revokedAt: null, expiresAt: { [Op.gt]: new Date(app.now()) } });
const reportOf = literal(`details->>'report'`);

/** The reports that tokens were handed out to. */
export async function reportsOfTokens(app: App): Promise<string[]> {
  const rows = await accessTokens(app).findAll({ attributes: [[fn('DISTINCT', reportOf), 'report']], raw: true });
  return rows.map((row) => (row as unknown as { report: string }).report);
}

/** Which tokens are meant, newest first. */
export interface TokenPage {
  /** To these reports, or handed out by this person. */
  readonly reports: readonly string[];
  readonly giverId: string;
  /** Those that still count, alone. */
  readonly isLiving?: boolean;
  /** After this one in the order of the list. */
  readonly after?: { readonly issuedAt: Date; readonly id: string };
  readonly count: number;
}

export async function listTokens(app: App, page: TokenPage): Promise<TokenRow[]> {
  const { reports, giverId, after, count } = page;
  const isTheirs = { [Op.or]: [{ giverId }, where(reportOf, { [Op.in]: [...reports] })] };
  const isAfter = after && {
    [Op.or]: [{ issuedAt: { [Op.lt]: after.issuedAt } }, { issuedAt: after.issuedAt, id: { [Op.gt]: after.id } }],
  };
  return all(
    accessTokens(app).findAll({
      where: {
        [Op.and]: [isTheirs, ...(page.isLiving ? [isLiving(app)] : []), ...(isAfter ? [isAfter] : [])],
      } as never,
      order: [
        ['issuedAt', 'DESC'],
        ['id', 'ASC'],
      ],
      limit: count,
    }),
  );
}

export async function findToken(app: App, id: string): Promise<TokenRow | undefined> {
  return one(accessTokens(app).findByPk(id));
}

/** Revokes a token and every one that was made of it. @returns how many */
export async function revokeToken(app: App, id: string): Promise<number> {
  // A share lock of an exchange going on is waited for, so that its child is found.
  await accessTokens(app).findByPk(id, { lock: Transaction.LOCK.UPDATE });
  return revokeLine(app, id, new Date(app.now()));
}
