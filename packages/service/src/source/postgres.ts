import pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import type { Readable } from 'node:stream';
import { Refusal } from '@underbell/core/refusal';
import { GuardedSocket, guardRefusal, type Settings } from '../platform/index.ts';
import { checkSourceAddress, sourceReach } from './address.ts';

export { copyFrom, copyTo };

const timeoutMs = 10_000;

/** SQLSTATE classes that mean "not reached" rather than "refused". */
const unreachable = /^(08|57P0)/;

/** Turns what a source answered into advice; addresses and passwords stay out. */
export function sourceRefusal(cause: unknown, name: string): Refusal {
  const error = cause as { code?: string; message?: string; position?: string; hint?: string };
  const code = error.code ?? '';
  if (code === '28P01' || code === '28000') {
    return new Refusal(
      'SOURCE_REFUSED',
      `Data source “${name}” rejected the username or password.`,
      { hint: 'Save the credentials again.' },
      { cause },
    );
  }
  if (!/^[0-9A-Z]{5}$/.test(code) || unreachable.test(code)) {
    return new Refusal(
      'SOURCE_UNREACHABLE',
      `Data source “${name}” is not responding.`,
      { hint: 'Check host and port.' },
      { cause },
    );
  }
  return new Refusal(
    'SOURCE_REFUSED',
    `Data source “${name}” rejected the query: ${error.message}.`,
    { hint: error.hint },
    { cause },
  );
}

/**
 * Runs work on a source's connection, which is read-only and closed afterwards.
 *
 * @throws {Refusal} `SOURCE_UNREACHABLE`, `SOURCE_REFUSED`, `ADDRESS_FORBIDDEN`
 */
export async function withSource<T>(
  settings: Settings,
  name: string,
  url: string,
  work: (client: pg.Client) => Promise<T>,
): Promise<T> {
  await checkSourceAddress(settings, url);
  const reach = await sourceReach(settings, url);
  const client = new pg.Client({
    connectionString: url,
    // A name may point elsewhere than when it was saved: the connection itself looks where it goes.
    stream: () => new GuardedSocket(reach),
    connectionTimeoutMillis: timeoutMs,
    application_name: 'underbell source',
    options: '-c default_transaction_read_only=on -c timezone=UTC -c datestyle=ISO',
  });
  client.on('error', () => undefined);
  try {
    await client.connect();
    return await work(client);
  } catch (cause) {
    throw guardRefusal(cause) ?? sourceRefusal(cause, name);
  } finally {
    await client.end().catch(() => undefined);
  }
}

/** Streams an answer of COPY. */
export function copyOut(client: pg.ClientBase, sql: string): Readable {
  return client.query(copyTo(sql));
}

/**
 * Asks a source to give up what one of its connections is computing; our end of it may be gone already.
 *
 * @throws {Refusal} as `withSource`
 */
export async function cancelQuery(settings: Settings, name: string, url: string, busy: pg.Client): Promise<void> {
  const { processID } = busy as pg.Client & { readonly processID: number | null };
  await withSource(settings, name, url, (client) => client.query('SELECT pg_cancel_backend($1)', [processID]));
}
