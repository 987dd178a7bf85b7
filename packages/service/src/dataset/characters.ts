import type { DatasetColumn } from '@underbell/core/dataset';
import { quoteName, StatementBinder } from '@underbell/core/filter';
import type { App } from '../platform/index.ts';
import { refuseSmallGroups, rowsOf, select, type RowRequest } from './request.ts';

/**
 * The characters beyond ASCII in the texts of some rows.
 *
 * @returns each character with the columns that it stands in
 * @throws {Refusal} `GROUPS_TOO_SMALL`
 */
export async function charactersIn(
  app: App,
  request: RowRequest,
  columns: readonly DatasetColumn[],
): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  const texts = columns.filter((one) => one.type === 'text');
  if (texts.length === 0) return found;
  refuseSmallGroups(request, 'rows');
  const binder = new StatementBinder();
  const { from, where } = rowsOf(request, binder);
  const cells = texts.map((one, i) => `(${i}, rows.${quoteName(one.name)})`).join(', ');
  // Most texts have none, and most of the others repeat: few are taken apart.
  const sql = `
    SELECT DISTINCT own.number, letter FROM (
      SELECT DISTINCT cell.number, cell.text
      FROM (SELECT ${texts.map((one) => quoteName(one.name)).join(', ')} FROM ${from} WHERE ${where}) rows,
        LATERAL (VALUES ${cells}) AS cell (number, text)
      WHERE octet_length(cell.text) <> char_length(cell.text)
    ) own, regexp_split_to_table(own.text, '') AS letter
    WHERE octet_length(letter) > 1 ORDER BY 2, 1`;
  for (const [number, letter] of (await select(app, request, sql, binder.values)) as [number, string][])
    found.set(letter, [...(found.get(letter) ?? []), texts[number]!.name]);
  return found;
}
