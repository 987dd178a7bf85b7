import { querySql, type App } from '../platform/index.ts';

// The newest line of each recipient: a model has no DISTINCT ON.

/** Recipient -> why the last copy that came back did, of those whose newest copy came back. */
export async function bouncedBefore(app: App, burst: string): Promise<Map<string, string>> {
  const rows = await querySql<{ recipient: string; bounce: string | null }>(
    app,
    `SELECT DISTINCT ON (recipient) recipient, bounce FROM deliveries
     WHERE burst_name = $burst AND state = 'sent' AND NOT is_test ORDER BY recipient, id DESC`,
    { burst },
  );
  return new Map(rows.flatMap(({ recipient, bounce }) => (bounce === null ? [] : [[recipient, bounce] as const])));
}
