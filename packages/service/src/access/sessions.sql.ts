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

/** The same, with the version that the records had at that moment: a prepared statement, because every look begins with it. */
export async function personAndVersion(
  app: App,
  fingerprint: string,
): Promise<{ readonly personId: string | null; readonly version: string }> {
  const { rows } = await app.asking.query<{ personId: string | null; version: string }>({
    name: 'session',
    text: `SELECT ${recordVersion} AS version,
       (SELECT person_id FROM sessions WHERE fingerprint = $1 AND expires_at > $2) AS "personId"`,
    values: [fingerprint, new Date(app.now())],
  });
  return rows[0]!;
}
