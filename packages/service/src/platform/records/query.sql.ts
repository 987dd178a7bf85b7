import { QueryTypes, type Sequelize } from 'sequelize';

/**
 * Runs a statement that no model can say; files that hold such statements are named `*.sql.ts`, and say why.
 *
 * @param bind - values of `$name` in it
 * @returns its rows, also those that a change returns
 */
export function querySql<Row extends object>(
  { records }: { readonly records: Sequelize },
  text: string,
  bind: Readonly<Record<string, unknown>> = {},
): Promise<Row[]> {
  return records.query<Row>(text, { bind: { ...bind }, type: QueryTypes.SELECT });
}
