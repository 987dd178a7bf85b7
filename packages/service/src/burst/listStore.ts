import type { Transaction } from 'sequelize';
import type { Recipient } from '@underbell/core/burst';
import { defineRecord, plain, type App } from '../platform/index.ts';

export interface ListRow {
  name: string;
  columns: string[];
  idColumn: string;
  addressColumn: string;
  version: number;
  loadedAt: Date;
}

interface ListRecipientRow {
  listName: string;
  version: number;
  position: number;
  recipient: string;
  address: string;
  cells: Record<string, string>;
}

const tables = (app: App) => ({
  lists: defineRecord<ListRow>(app.records, 'lists', {
    name: 'key',
    columns: 'json',
    idColumn: 'text',
    addressColumn: 'text',
    version: 'integer',
    loadedAt: 'instant',
  }),
  rows: defineRecord<ListRecipientRow>(app.records, 'list_rows', {
    listName: 'key',
    version: 'key',
    position: 'key',
    recipient: 'text',
    address: 'text',
    cells: 'json',
  }),
});

export async function findList(app: App, name: string): Promise<ListRow | undefined> {
  const row = await tables(app).lists.findByPk(name);
  return row ? plain(row) : undefined;
}

export async function listLists(app: App): Promise<(ListRow & { recipients: number })[]> {
  const { lists, rows } = tables(app);
  const all = (await lists.findAll({ order: ['name'] })).map(plain);
  return Promise.all(
    all.map(async (one) => ({
      ...one,
      recipients: await rows.count({ where: { listName: one.name, version: one.version } }),
    })),
  );
}

/** Stores the next version of a list; the versions before stay. */
export async function putList(
  app: App,
  list: Omit<ListRow, 'version' | 'loadedAt'>,
  recipients: readonly Recipient[],
  transaction: Transaction,
): Promise<number> {
  const { lists, rows } = tables(app);
  const known = await lists.findByPk(list.name, { lock: transaction.LOCK.UPDATE, transaction });
  const version = known ? plain(known).version + 1 : 1;
  const row = { ...list, version, loadedAt: new Date(app.now()) };
  if (known) await known.update(row, { transaction });
  else await lists.create(row, { transaction });
  await rows.bulkCreate(
    recipients.map((one, position) => ({
      listName: list.name,
      version,
      position,
      recipient: one.id,
      address: one.address,
      cells: { ...one.values },
    })),
    { transaction },
  );
  return version;
}

export async function listRecipients(app: App, list: ListRow): Promise<Recipient[]> {
  const rows = await tables(app).rows.findAll({
    where: { listName: list.name, version: list.version },
    order: ['position'],
  });
  return rows.map(plain).map((row) => ({ id: row.recipient, address: row.address, values: row.cells }));
}
