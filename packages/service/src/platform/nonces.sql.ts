import type { App } from './app.ts';
import { querySql } from './records/index.ts';

// Noting and forgetting in one statement, so that no two take the same value.

/**
 * Notes a one-time value for all processes. Values that have run out are forgotten on the way.
 *
 * @returns false when it was used before
 */
export async function useNonce(app: App, key: string, expiresAt: Date): Promise<boolean> {
  const rows = await querySql(
    app,
    `WITH forgotten AS (DELETE FROM used_once WHERE expires_at < $now)
     INSERT INTO used_once (key, expires_at) VALUES ($key, $expiresAt) ON CONFLICT (key) DO NOTHING RETURNING key`,
    { key, expiresAt, now: new Date(app.now()) },
  );
  return rows.length > 0;
}
