import { Transaction } from 'sequelize';
import type { Recipient } from '@underbell/core/burst';
import { all, renameWord, one, plain, rows, type App } from '../platform/index.ts';
import { listRows, lists, type ListRow } from './models.ts';
import { countRecipients } from './recipients.sql.ts';

export async function findList(app: App, name: string): Promise<ListRow | undefined> {
  return one(lists(app).findByPk(name));
}

export async function listLists(app: App): Promise<(ListRow & { recipients: number })[]> {
  const [found, counts] = await Promise.all([all(lists(app).findAll({ order: ['name'] })), countRecipients(app)]);
  return found.map((one) => ({ ...one, recipients: counts.get(one.name) ?? 0 }));
}

/** Lets lists follow the dataset, the group or the attribute that they are read from to its new name. */
export async function rewriteOrigins(
  app: App,
  key: 'dataset' | 'group' | 'each',
  from: string,
  to: string,
): Promise<void> {
  await renameWord(app, { model: lists, column: 'origin', path: [key], from, to });
}

/** Stores the next version of a list; the versions before stay. */
export async function putList(
  app: App,
  list: Omit<ListRow, 'version' | 'loadedAt'>,
  recipients: readonly Recipient[],
): Promise<number> {
  const known = await lists(app).findByPk(list.name, { lock: Transaction.LOCK.UPDATE });
  const version = known ? plain(known).version + 1 : 1;
  const row = { ...list, version, loadedAt: new Date(app.now()) };
  if (known) await known.update(row);
  else await lists(app).create(row);
  await listRows(app).bulkCreate(
    recipients.map((one, position) => ({
      listName: list.name,
      version,
      position,
      recipient: one.id,
      address: one.address,
      cells: { ...one.values },
      activeFrom: one.activeFrom ?? null,
      activeTo: one.activeTo ?? null,
      language: one.language ?? null,
      timeZone: one.timeZone ?? null,
      formats: one.formats ? [...one.formats] : null,
    })),
  );
  return version;
}

/** The recipients of a list in the version given. */
export async function listRecipients(app: App, list: Pick<ListRow, 'name' | 'version'>): Promise<Recipient[]> {
  const where = { listName: list.name, version: list.version };
  const found = await rows(listRows(app), { where, order: ['position'] });
  return found.map((row) => ({
    id: row.recipient,
    address: row.address,
    values: row.cells,
    ...(row.activeFrom ? { activeFrom: row.activeFrom } : {}),
    ...(row.activeTo ? { activeTo: row.activeTo } : {}),
    ...(row.language ? { language: row.language } : {}),
    ...(row.timeZone ? { timeZone: row.timeZone } : {}),
    ...(row.formats ? { formats: row.formats } : {}),
  }));
}
