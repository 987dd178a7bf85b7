import pg from 'pg';
import { AsyncLocalStorage } from 'node:async_hooks';
import { DataTypes, Sequelize, type Model, type ModelAttributes, type ModelStatic, type Transaction } from 'sequelize';

/** A table of records whose rows have this shape. */
export type RecordTable<Row extends object> = ModelStatic<Model<Row, Partial<Row>>>;

export type ColumnKind = 'text' | 'integer' | 'number' | 'boolean' | 'json' | 'instant' | 'serial' | 'key';

const kinds: Record<ColumnKind, object> = {
  text: { type: DataTypes.TEXT },
  integer: { type: DataTypes.INTEGER },
  number: { type: DataTypes.DOUBLE },
  boolean: { type: DataTypes.BOOLEAN },
  json: { type: DataTypes.JSONB },
  instant: { type: DataTypes.DATE },
  serial: { type: DataTypes.INTEGER, autoIncrement: true, primaryKey: true },
  key: { type: DataTypes.TEXT, primaryKey: true },
};

/** Declaring costs more than most queries: each table is declared once for each connection to the records. */
const declared = new WeakMap<Sequelize, Map<string, object>>();

/** Declares a table; its columns are the row's fields in snake case. */
export function defineRecord<Row extends object>(
  sequelize: Sequelize,
  table: string,
  columns: Readonly<Record<keyof Row & string, ColumnKind>>,
): RecordTable<Row> {
  const known = declared.get(sequelize) ?? new Map<string, object>();
  declared.set(sequelize, known);
  // Two capabilities may look at different columns of one table.
  const key = `${table} ${Object.keys(columns).join(' ')}`;
  const found = known.get(key);
  if (found) return found as RecordTable<Row>;
  const attributes = Object.fromEntries(
    Object.entries(columns).map(([name, kind]) => [name, { ...kinds[kind as ColumnKind] }]),
  );
  const options = { tableName: table, timestamps: false, underscored: true };
  const made = sequelize.define(table, attributes as ModelAttributes, options) as unknown as RecordTable<Row>;
  known.set(key, made);
  return made;
}

/** A record as plain data. */
export function plain<Row extends object>(model: Model<Row, Partial<Row>>): Row {
  return model.get({ plain: true });
}

/** A connection that ends at any moment, also between being made and being listened to, brings nothing down. */
class RecordsClient extends pg.Client {
  constructor(config?: string | pg.ClientConfig) {
    super(config);
    this.on('error', () => undefined);
  }
}

/** The transaction that work belongs to, wherever in it the records are asked. */
const ambient = new AsyncLocalStorage<Map<string, unknown>>();

/** What is started within a transaction and goes on after it does not belong to it. */
function ambientTransaction(): Transaction | undefined {
  const transaction = ambient.getStore()?.get('transaction') as
    (Transaction & { finished?: string }) | null | undefined;
  return transaction && transaction.finished === undefined ? transaction : undefined;
}

/** Work that belongs to no transaction around it: what it commits stays, whatever becomes of that. */
export function outsideTransaction<T>(work: () => T): T {
  return ambient.run(new Map(), work);
}

Sequelize.useCLS({
  get: (key: string) => (key === 'transaction' ? ambientTransaction() : ambient.getStore()?.get(key)),
  set: (key: string, value: unknown) => void ambient.getStore()?.set(key, value),
  run: (work: () => unknown) => ambient.run(new Map(), work),
  bind: (work: object) => work,
} as object);

/**
 * The records, whose transactions are ambient: whatever is asked within one is asked of its connection, and one within
 * another is part of it. So nobody holds a connection while they wait for a second one, and use cases can be put together.
 */
class Records extends Sequelize {
  override transaction(...given: unknown[]): Promise<never> {
    const work = given.at(-1);
    const outer = ambientTransaction();
    if (outer !== undefined && typeof work === 'function' && given.length === 1) return work(outer) as Promise<never>;
    return (super.transaction as (...all: unknown[]) => Promise<never>)(...given);
  }
}

/** Opens the records' database. */
export function openRecords(databaseUrl: string): Sequelize {
  return new Records(databaseUrl, {
    dialect: 'postgres',
    dialectModule: { ...pg, Client: RecordsClient },
    logging: false,
    pool: { max: 10, idle: 10_000 },
  });
}

/** Keeps others from deciding about the same thing until the transaction ends. */
export async function lockThing(
  app: { readonly records: Sequelize },
  kind: string,
  name: string,
  transaction?: Transaction,
): Promise<void> {
  await app.records.query('SELECT pg_advisory_xact_lock(730004, hashtext($thing))', {
    bind: { thing: `${kind} ${name}` },
    transaction,
  });
}
