import type pg from 'pg';
import { Refusal } from '@underbell/core/refusal';

/** What a query of the driver's kind may ask of its connection. */
interface Connection {
  parse(
    query: { readonly name: string; readonly text: string; readonly types: readonly number[] },
    more?: boolean,
  ): void;
  sync(): void;
}

/**
 * Has a source read a text as one statement, without running it. The extended protocol takes no second statement, so that
 * a text that passes can be set into a statement of ours and end neither it nor its transaction.
 *
 * @throws {Refusal} `SOURCE_REFUSED` for what is no statement, more than one, or none that reads
 * @see PostgreSQL, Frontend/Backend Protocol: Extended Query
 */
export async function checkStatement(client: pg.ClientBase, sql: string, name: string): Promise<void> {
  if (!/^\s*(--[^\n]*\n\s*|\/\*(?:[^*]|\*(?!\/))*\*\/\s*)*\(*\s*(select|with|values|table)\b/i.test(sql))
    throw new Refusal(
      'SOURCE_REFUSED',
      `Data source “${name}” is read-only: SQL must begin with SELECT, WITH, VALUES or TABLE.`,
      {
        pointer: '/sql',
      },
    );
  await new Promise<void>((done, fail) => {
    client.query({
      submit(connection: Connection) {
        connection.parse({ name: '', text: sql, types: [] });
        connection.sync();
        return undefined;
      },
      handleError: fail,
      handleReadyForQuery: () => done(),
    } as never);
  }).catch((cause: unknown) => {
    const { message } = cause as Error;
    throw new Refusal(
      'SOURCE_REFUSED',
      `Data source “${name}” rejected the query: ${message}.`,
      { pointer: '/sql' },
      { cause },
    );
  });
}

/** Runs work in a transaction that only reads, and leaves nothing behind: not a setting of the session either. */
export async function readingOnly<T>(client: pg.ClientBase, work: () => Promise<T>): Promise<T> {
  await client.query('BEGIN TRANSACTION READ ONLY');
  try {
    return await work();
  } finally {
    // What was set for the session in a transaction that is rolled back is as it was before.
    await client.query('ROLLBACK').catch(() => undefined);
  }
}
