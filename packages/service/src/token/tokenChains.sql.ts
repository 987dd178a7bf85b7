import { querySql, type App } from '../platform/index.ts';

// Tokens that were made of tokens: a line of any length.

/** How many exchanges lie behind a token. */
export async function exchangesBehind(app: App, id: string): Promise<number> {
  const [line] = await querySql<{ depth: string }>(
    app,
    `WITH RECURSIVE line AS (
       SELECT parent_id FROM access_tokens WHERE id = $id
       UNION ALL SELECT t.parent_id FROM access_tokens t JOIN line ON t.id = line.parent_id)
     SELECT count(*) AS depth FROM line`,
    { id },
  );
  return Number(line!.depth);
}

/** Revokes a token and every one that was made of it. @returns how many */
export async function revokeLine(app: App, id: string, at: Date): Promise<number> {
  const rows = await querySql(
    app,
    `WITH RECURSIVE line AS (
       SELECT id FROM access_tokens WHERE id = $id
       UNION ALL SELECT t.id FROM access_tokens t JOIN line ON t.parent_id = line.id)
     UPDATE access_tokens SET revoked_at = $at WHERE id IN (SELECT id FROM line) AND revoked_at IS NULL RETURNING id`,
    { id, at },
  );
  return rows.length;
}
