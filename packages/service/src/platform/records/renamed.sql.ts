import type { Sequelize } from 'sequelize';
import { querySql } from './query.sql.ts';

// A model reads a whole document and writes it back; these change what names something where it lies, in every row at once.

interface InDocument {
  readonly model: { readonly table: string };
  /** As the table has it. */
  readonly column: string;
  /** Keys that lead to it from the top of the document. */
  readonly path?: readonly string[];
  readonly from: string;
  readonly to: string;
}

interface Records {
  readonly records: Sequelize;
}

/** Gives a key of an object in a document another name. */
export async function renameKey(app: Records, { model, column, path = [], from, to }: InDocument): Promise<void> {
  const inner = `${column} #> $path::text[]`;
  await querySql(
    app,
    `UPDATE ${model.table} SET ${column} = ${path.length === 0 ? '' : `jsonb_set(${column}, $path::text[], `}
       (${inner}) - $from::text || jsonb_build_object($to::text, (${inner}) -> $from)${path.length === 0 ? '' : ')'}
     WHERE (${inner}) ? $from`,
    { path, from, to },
  );
}

/** Gives a text in a document another value. */
export async function renameWord(app: Records, { model, column, path = [], from, to }: InDocument): Promise<void> {
  await querySql(
    app,
    `UPDATE ${model.table} SET ${column} = jsonb_set(${column}, $path::text[], to_jsonb($to::text))
     WHERE ${column} #>> $path::text[] = $from`,
    { path, from, to },
  );
}

/** Gives a text in an array of a document another value; the others keep their places. */
export async function renameElement(app: Records, { model, column, path = [], from, to }: InDocument): Promise<void> {
  const inner = `${column} #> $path::text[]`;
  const written = `(SELECT jsonb_agg(CASE WHEN one = $from THEN $to ELSE one END ORDER BY place)
     FROM jsonb_array_elements_text(${inner}) WITH ORDINALITY AS elements(one, place))`;
  await querySql(
    app,
    `UPDATE ${model.table} SET ${column} = ${path.length === 0 ? written : `jsonb_set(${column}, $path::text[], ${written})`}
     WHERE (${inner}) ? $from`,
    { path, from, to },
  );
}
