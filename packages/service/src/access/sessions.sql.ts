import { askSql, recordVersion, type App } from '../platform/index.ts';

// Asked for with every request, where a model costs more than the query.

/** Whose session this is, if it has not run out. */
export async function personOfSession(app: App, fingerprint: string): Promise<string | undefined> {
  const [row] = await askSql<{ person_id: string }>(
    app,
    'SELECT person_id FROM sessions WHERE fingerprint = $fingerprint AND expires_at > $now',
    { fingerprint, now: new Date(app.now()) },
  );
  return row?.person_id;
}

/** The same, with the version that the records had at that moment. */
export async function personAndVersion(
  app: App,
  fingerprint: string,
): Promise<{ readonly personId: string | null; readonly version: string }> {
  const [row] = await askSql<{ personId: string | null; version: string }>(
    app,
    `SELECT ${recordVersion} AS version,
       (SELECT person_id FROM sessions WHERE fingerprint = $fingerprint AND expires_at > $now) AS "personId"`,
    { fingerprint, now: new Date(app.now()) },
  );
  return row!;
}
