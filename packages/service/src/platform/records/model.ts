import type { FindOptions, Model, ModelAttributes, ModelStatic, Sequelize } from 'sequelize';
import { wholeNumber, type Column } from './columns.ts';

type Columns = Readonly<Record<string, Column<unknown>>>;
type RowFrom<Given extends Columns> = {
  -readonly [Name in keyof Given]: Given[Name] extends Column<infer Value> ? Value : never;
};
type Having<Row extends object> = ModelStatic<Model<Row, Partial<Row>>>;

/** One table of the records: asked of an installation, it is the model that reads and writes the table there. */
export interface RecordModel<Row extends object = object> {
  (app: { readonly records: Sequelize }): Having<Row>;
  readonly table: string;
  readonly columns: Columns;
}

/** A model of whichever table, for what is done alike with rows of several. */
export interface AnyModel {
  (app: { readonly records: Sequelize }): ModelStatic<Model>;
  readonly table: string;
}

/** A row of a model's table. */
export type RowOf<Of> = Of extends RecordModel<infer Row> ? Row : never;

const models = new Map<string, RecordModel>();
/** Making a model costs more than most queries: each is made once for each connection to the records. */
const made = new WeakMap<Sequelize, Map<string, Having<object>>>();

/** Every model that is declared, by its table. */
export const declaredModels: ReadonlyMap<string, RecordModel> = models;

/**
 * Declares a table, once in the program; its columns are the row's fields in snake case.
 *
 * @param columns - all of them; a test holds them against the database
 */
export function defineModel<const Given extends Columns>(table: string, columns: Given): RecordModel<RowFrom<Given>> {
  if (models.has(table)) throw new Error(`the table ${table} has its model already`);
  const model = Object.assign((app: { readonly records: Sequelize }) => modelIn(app.records, table), {
    table,
    columns,
  });
  models.set(table, model as RecordModel);
  return model as unknown as RecordModel<RowFrom<Given>>;
}

function modelIn(records: Sequelize, table: string): Having<object> {
  const known = made.get(records) ?? new Map<string, Having<object>>();
  made.set(records, known);
  const found = known.get(table);
  if (found) return found;
  const columns = Object.entries(models.get(table)!.columns);
  const attributes = Object.fromEntries(columns.map(([name, one]) => [name, attributeOf(name, one)]));
  const options = { tableName: table, timestamps: false, underscored: true };
  const model = records.define(table, attributes as ModelAttributes, options) as unknown as Having<object>;
  known.set(table, model);
  for (const [name, { refersTo }] of columns) {
    // A program that is a part of the service may not have the capability that the row is of.
    if (refersTo === undefined || !models.has(refersTo.table)) continue;
    model.belongsTo(modelIn(records, refersTo.table), { as: refersTo.as, foreignKey: name, constraints: false });
  }
  return model;
}

function attributeOf(name: string, { options, isWide }: Column<unknown>): object {
  if (!isWide) return { ...options };
  return {
    ...options,
    get(this: Model) {
      return wholeNumber(this.getDataValue(name as never));
    },
  };
}

/** A record as plain data. */
export function plain<Row extends object>(model: Model<Row, Partial<Row>>): Row {
  return model.get({ plain: true });
}

/** One record as plain data, if there is one. */
export async function one<Row extends object>(
  asked: Promise<Model<Row, Partial<Row>> | null>,
): Promise<Row | undefined> {
  const found = await asked;
  return found ? plain(found) : undefined;
}

/** Records as they lie, with no model around each: for what is read often, or long. */
export async function rows<Row extends object>(of: Having<Row>, options: FindOptions = {}): Promise<Row[]> {
  const found = (await of.findAll({ ...options, raw: true })) as unknown as Record<string, unknown>[];
  const wide = Object.entries(models.get(of.tableName)!.columns).filter(([, column]) => column.isWide);
  for (const row of found) for (const [name] of wide) if (name in row) row[name] = wholeNumber(row[name]);
  return found as Row[];
}

/** The highest number that some records have; 0 where there are none. */
export async function highest<Row extends object>(
  of: Having<Row>,
  column: keyof Row & string,
  where: Partial<Row>,
): Promise<number> {
  return ((await of.max(column as never, { where: where as never })) as number | null) ?? 0;
}

/** Records as plain data. */
export async function all<Row extends object>(asked: Promise<Model<Row, Partial<Row>>[]>): Promise<Row[]> {
  return (await asked).map(plain);
}
