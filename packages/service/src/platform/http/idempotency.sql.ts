import type { App } from '../app.ts';
import { querySql } from '../records/index.ts';

// Taking a key that nobody has, without an error that would end the transaction, and by the clock of the database.

/** Notes that a request has begun. @returns false where one under this key has already */
export async function beginOnce(app: App, id: string, request: string): Promise<boolean> {
  const rows = await querySql(
    app,
    `INSERT INTO idempotency_keys (key, request, created_at) VALUES ($id, $request, clock_timestamp())
     ON CONFLICT DO NOTHING RETURNING key`,
    { id, request },
  );
  return rows.length > 0;
}

interface Begun {
  readonly request: string;
  readonly status: number | null;
  readonly sealed: string | null;
  readonly isOld: boolean;
}

/** What is known of a request under a key. @param longestMinutes - one that began before that is old */
export async function begunBefore(app: App, id: string, longestMinutes: number): Promise<Begun | undefined> {
  const [row] = await querySql<Begun>(
    app,
    `SELECT request, status, sealed_answer AS sealed,
       created_at < clock_timestamp() - $longestMinutes * interval '1 minute' AS "isOld"
     FROM idempotency_keys WHERE key = $id`,
    { id, longestMinutes },
  );
  return row;
}
