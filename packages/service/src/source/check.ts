import type pg from 'pg';

import { isRefusal, Refusal } from '@underbell/core/refusal';
import type { SourceAnswer } from '@underbell/core/source';
import type { App } from '../platform/index.ts';
import { withSource } from './postgres.ts';
import { noteCheck, sourceUrl } from './store.ts';

/** Roles of the server itself that reach past its tables. */
const strongRoles = [
  'pg_write_all_data',
  'pg_read_server_files',
  'pg_write_server_files',
  'pg_execute_server_program',
  'pg_signal_backend',
  'pg_checkpoint',
  'pg_maintain',
];

/** A role may do what any role may that it is a member of: it can take that on with `SET ROLE`, and so can a function. */
const question = `
  SELECT current_setting('server_version') AS version, current_database() AS database, current_user AS role,
    coalesce((SELECT ssl FROM pg_stat_ssl WHERE pid = pg_backend_pid()), false) AS encrypted,
    (SELECT count(*)::int FROM information_schema.tables WHERE table_schema NOT IN ('pg_catalog', 'information_schema')) AS tables,
    NOT EXISTS (SELECT FROM pg_roles role WHERE pg_has_role(current_user, role.oid, 'MEMBER') AND (
      role.rolsuper OR role.rolcreaterole OR role.rolcreatedb OR role.rolreplication OR role.rolname = ANY ('{${strongRoles}}')
      OR EXISTS (SELECT FROM pg_class thing JOIN pg_namespace space ON space.oid = thing.relnamespace
        WHERE thing.relkind IN ('r', 'p', 'v', 'f', 'm') AND space.nspname NOT IN ('pg_catalog', 'information_schema')
        AND space.nspname NOT LIKE 'pg\_toast%' AND (thing.relowner = role.oid
          OR has_table_privilege(role.oid, thing.oid, 'INSERT, UPDATE, DELETE, TRUNCATE')
          OR has_any_column_privilege(role.oid, thing.oid, 'INSERT, UPDATE')))
    )) AS "readOnly"`;

/** Asks a source who we are there and what it holds. @throws {Refusal} `SOURCE_UNREACHABLE`, `SOURCE_REFUSED`, `ADDRESS_FORBIDDEN` */
export async function askSource(app: App, name: string, url: string): Promise<SourceAnswer> {
  const start = performance.now();
  return withSource(app.settings, name, url, async (client) => {
    const { rows } = await client.query<{
      version: string;
      database: string;
      role: string;
      encrypted: boolean;
      tables: number;
      readOnly: boolean;
    }>(question);
    const { version, database, role, encrypted, tables, readOnly } = rows[0]!;
    const milliseconds = Math.round(performance.now() - start);
    return {
      answers: true,
      version,
      database,
      role,
      isReadOnly: readOnly,
      isEncrypted: encrypted,
      tables,
      milliseconds,
    };
  });
}

/**
 * Datasets are read by a role that can do nothing else: SQL that somebody writes runs with its rights.
 *
 * @throws {Refusal} `SOURCE_WRITES` for a role that may change something
 */
export async function requireReader(client: pg.ClientBase, name: string): Promise<void> {
  const { rows } = await client.query<{ role: string; readOnly: boolean }>(question);
  const { role, readOnly } = rows[0]!;
  if (readOnly) return;
  throw new Refusal('SOURCE_WRITES', `The role “${role}” of data source “${name}” has write access.`, {
    word: role,
    hint: "Create a read-only role: CREATE ROLE reports LOGIN PASSWORD '…'; GRANT SELECT ON ALL TABLES IN SCHEMA public TO reports",
  });
}

/** Looks whether a source still lets us in, and remembers it. @returns what is wrong, or null */
export async function checkSource(app: App, name: string): Promise<string | null> {
  const url = await sourceUrl(app, name);
  if (url === undefined) return null;
  let error: string | null = null;
  try {
    await askSource(app, name, url);
  } catch (cause) {
    if (!isRefusal(cause)) throw cause;
    error = (cause as Refusal).message;
  }
  await noteCheck(app, name, error);
  return error;
}
