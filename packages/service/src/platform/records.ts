import pg from 'pg';
import { DataTypes, Sequelize, type Model, type ModelAttributes, type ModelStatic } from 'sequelize';

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

/** Opens the records' database. */
export function openRecords(databaseUrl: string): Sequelize {
  return new Sequelize(databaseUrl, {
    dialect: 'postgres',
    dialectModule: { ...pg, Client: RecordsClient },
    logging: false,
    pool: { max: 10, idle: 10_000 },
  });
}
