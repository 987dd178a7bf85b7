import { QueryTypes, Transaction } from 'sequelize';
import type { CopyFormat, Recipient } from '@underbell/core/burst';
import type { ColumnType, FileDialect } from '@underbell/core/dataset';
import { defineRecord, plain, type App } from '../platform/index.ts';

export interface ListRow {
  name: string;
  columns: string[];
  idColumn: string;
  addressColumn: string;
  activeFromColumn: string | null;
  activeToColumn: string | null;
  /** Columns that say how a recipient wants copies. */
  roles: { readonly language?: string; readonly timeZone?: string; readonly format?: string };
  /** Column -> what its cells must be. */
  types: Readonly<Record<string, ColumnType>>;
  /** Where its rows are read from before each plan; nothing for a file. */
  origin: ListOrigin | null;
  /** How the file was written that it was loaded from. */
  fileDialect: FileDialect | null;
  version: number;
  loadedAt: Date;
}

/** A list that is read anew: one row of a dataset, or one person of a group, is one recipient. */
export type ListOrigin =
  | { readonly dataset: string; readonly where?: string }
  /** `each` names an attribute with several values: a row for each of them. */
  | { readonly group: string; readonly each?: string };

interface ListRecipientRow {
  listName: string;
  version: number;
  position: number;
  recipient: string;
  address: string;
  cells: Record<string, string>;
  activeFrom: string | null;
  activeTo: string | null;
  language: string | null;
  timeZone: string | null;
  formats: CopyFormat[] | null;
}

const tables = (app: App) => ({
  lists: defineRecord<ListRow>(app.records, 'lists', {
    name: 'key',
    columns: 'json',
    idColumn: 'text',
    addressColumn: 'text',
    activeFromColumn: 'text',
    activeToColumn: 'text',
    roles: 'json',
    types: 'json',
    origin: 'json',
    fileDialect: 'json',
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
    activeFrom: 'text',
    activeTo: 'text',
    language: 'text',
    timeZone: 'text',
    formats: 'json',
  }),
});

export async function findList(app: App, name: string): Promise<ListRow | undefined> {
  const row = await tables(app).lists.findByPk(name);
  return row ? plain(row) : undefined;
}

export async function listLists(app: App): Promise<(ListRow & { recipients: number })[]> {
  const { lists } = tables(app);
  const [all, counts] = await Promise.all([
    lists.findAll({ order: ['name'] }),
    app.records.query<{ name: string; recipients: number }>(
      `SELECT name, count(*)::integer AS recipients FROM lists JOIN list_rows ON list_name = name AND list_rows.version = lists.version
       GROUP BY name`,
      { type: QueryTypes.SELECT },
    ),
  ]);
  const recipients = new Map(counts.map((one) => [one.name, one.recipients]));
  return all.map(plain).map((one) => ({ ...one, recipients: recipients.get(one.name) ?? 0 }));
}

/** Lets lists follow the dataset, the group or the attribute that they are read from to its new name. */
export async function rewriteOrigins(
  app: App,
  kind: 'dataset' | 'group' | 'each',
  from: string,
  to: string,
): Promise<void> {
  await app.records.query(
    `UPDATE lists SET origin = jsonb_set(origin, '{${kind}}', to_jsonb($to::text)) WHERE origin->>'${kind}' = $from`,
    { bind: { from, to } },
  );
}

/** Stores the next version of a list; the versions before stay. */
export async function putList(
  app: App,
  list: Omit<ListRow, 'version' | 'loadedAt'>,
  recipients: readonly Recipient[],
): Promise<number> {
  const { lists, rows } = tables(app);
  const known = await lists.findByPk(list.name, { lock: Transaction.LOCK.UPDATE });
  const version = known ? plain(known).version + 1 : 1;
  const row = { ...list, version, loadedAt: new Date(app.now()) };
  if (known) await known.update(row);
  else await lists.create(row);
  await rows.bulkCreate(
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
  const rows = await tables(app).rows.findAll({
    where: { listName: list.name, version: list.version },
    order: ['position'],
  });
  return rows.map(plain).map((row) => ({
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
