import { DataTypes, type ModelAttributeColumnOptions } from 'sequelize';

/** A column of a table, whose cells are of this type. */
export interface Column<Value> {
  readonly options: ModelAttributeColumnOptions;
  /** Table that it refers to, and the word for what it finds there. */
  readonly refersTo?: { readonly table: string; readonly as: string };
  /** The database fills it where nothing is said. */
  readonly isFilled?: true;
  /** Of 64 bits. */
  readonly isWide?: true;
  /** For the type only: never there. */
  readonly cell?: Value;
}

const column = <Value>(options: ModelAttributeColumnOptions): Column<Value> => ({
  options: { allowNull: false, ...options },
});

const withOptions = <Value>(one: Column<Value>, more: Partial<ModelAttributeColumnOptions>): Column<Value> => ({
  ...one,
  options: { ...one.options, ...more },
});

export const text = () => column<string>({ type: DataTypes.TEXT });
export const integer = () => column<number>({ type: DataTypes.INTEGER, validate: { isInt: true } });
export const double = () => column<number>({ type: DataTypes.DOUBLE });
export const real = () => column<number>({ type: DataTypes.REAL });
export const boolean = () => column<boolean>({ type: DataTypes.BOOLEAN });
export const instant = () => column<Date>({ type: DataTypes.DATE });
/** A day, `YYYY-MM-DD`. */
export const day = () => column<string>({ type: DataTypes.DATEONLY });
export const bytes = () => column<Buffer>({ type: DataTypes.BLOB });
export const uuid = () => column<string>({ type: DataTypes.UUID });
/** JSON of a shape that is ours: checked before it is stored, not again when it is read. */
export const json = <Value>() => column<Value>({ type: DataTypes.JSONB });

/** A word of ours, whose list is not the table's affair. */
export const word = <Word extends string>() => column<Word>({ type: DataTypes.TEXT });

/** One of some words. */
export const oneOf = <Word extends string>(...words: readonly Word[]) =>
  column<Word>({ type: DataTypes.TEXT, validate: { isIn: [[...words]] } });

/**
 * A whole number of 64 bits, which the database gives as text, as a number.
 *
 * @throws {RangeError} when it is read and a number cannot hold it
 */
export const bigint = (): Column<number> => ({
  ...column<number>({ type: DataTypes.BIGINT, validate: { isInt: true } }),
  isWide: true,
});

/** What the database gives for a cell of 64 bits, as a number. */
export function wholeNumber(cell: unknown): number | null | undefined {
  if (cell === null || cell === undefined) return cell;
  const number = Number(cell);
  if (Number.isSafeInteger(number)) return number;
  throw new RangeError(`${String(cell)} is more than a number can hold`);
}

/** Numbered by the database. */
export const serial = () => column<number>({ type: DataTypes.INTEGER, autoIncrement: true, primaryKey: true });
export const bigserial = () => withOptions(bigint(), { autoIncrement: true, primaryKey: true });

/** Part of the table's primary key. */
export const key = <Value>(one: Column<Value>): Column<Value> => withOptions(one, { primaryKey: true });
export const nullable = <Value>(one: Column<Value>): Column<Value | null> =>
  withOptions(one as Column<Value | null>, { allowNull: true });
/** What the database puts in where nothing is said. */
export const filled = <Value>(one: Column<Value>): Column<Value> => ({
  ...withOptions(one, { allowNull: undefined }),
  isFilled: true,
});

/** Refers to a row of a table. @param as - what is found there is called so where both are read at once */
export const refersTo = <Value>(one: Column<Value>, table: string, as: string): Column<Value> => ({
  ...one,
  refersTo: { table, as },
});
