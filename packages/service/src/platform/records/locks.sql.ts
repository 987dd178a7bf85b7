import type { Sequelize, Transaction } from 'sequelize';
import { namesLock, requireSameNames } from './namesVersion.sql.ts';

// Models know nothing of advisory locks.

export const advisoryLocks = { migrations: 730_001, audit: 730_002, setup: 730_003 } as const;

/** Keeps everybody else from doing the same until the transaction ends. */
export async function lockAll(
  records: Sequelize,
  what: Exclude<keyof typeof advisoryLocks, 'migrations'>,
  transaction?: Transaction,
): Promise<void> {
  await records.query('SELECT pg_advisory_xact_lock($number)', { bind: { number: advisoryLocks[what] }, transaction });
}

/**
 * Keeps others from deciding about the same thing, and from renaming or deleting anything, until the transaction ends.
 *
 * @throws {Refusal} `NAMES_CHANGED` where something was since the work around it began
 */
export async function lockResource(
  { records }: { readonly records: Sequelize },
  kind: string,
  name: string,
  transaction?: Transaction,
): Promise<void> {
  const bind = { names: namesLock, thing: `${kind} ${name}` };
  const sql = 'SELECT pg_advisory_xact_lock_shared($names), pg_advisory_xact_lock(730004, hashtext($thing))';
  await records.query(sql, { bind, transaction });
  await requireSameNames(records);
}
