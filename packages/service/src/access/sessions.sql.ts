import { querySql, recordVersion, type App } from '../platform/index.ts';
import type { SessionRow } from './models.ts';

// Asked for with every request, where a model costs more than the query.

/** Whose session it is, and how they came in. */
export interface SessionHolder {
  readonly personId: string;
  readonly kind: SessionRow['kind'];
}

/** Whose session this is, if it has not run out. */
export async function holderOfSession(app: App, fingerprint: string): Promise<SessionHolder | undefined> {
  const [row] = await querySql<SessionHolder>(
    app,
    'SELECT person_id AS "personId", kind FROM sessions WHERE fingerprint = $fingerprint AND expires_at > $now',
    { fingerprint, now: new Date(app.now()) },
  );
  return row;
}

/** The same, with the version that the records had at that moment: a prepared statement, because every look begins with it. */
export async function holderAndVersion(
  app: App,
  fingerprint: string,
): Promise<{ readonly holder: SessionHolder | undefined; readonly version: string }> {
  const { rows } = await app.asking.query<
    { version: string } & { [Name in keyof SessionHolder]: SessionHolder[Name] | null }
  >({
    name: 'session',
    text: `SELECT ${recordVersion} AS version, one.person_id AS "personId", one.kind
       FROM (SELECT) AS always LEFT JOIN sessions one ON one.fingerprint = $1 AND one.expires_at > $2`,
    values: [fingerprint, new Date(app.now())],
  });
  const { version, personId, kind } = rows[0]!;
  return { version, holder: personId === null || kind === null ? undefined : { personId, kind } };
}
