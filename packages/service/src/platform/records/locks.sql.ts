import type { Sequelize, Transaction } from 'sequelize';

// Models know nothing of advisory locks.

const numbers = { migrations: 730_001, audit: 730_002, setup: 730_003 } as const;

/** Keeps everybody else from doing the same until the transaction ends. */
export async function lockAll(
  records: Sequelize,
  what: keyof typeof numbers,
  transaction?: Transaction,
): Promise<void> {
  await records.query('SELECT pg_advisory_xact_lock($number)', { bind: { number: numbers[what] }, transaction });
}

/** Keeps others from deciding about the same thing until the transaction ends. */
export async function lockThing(
  { records }: { readonly records: Sequelize },
  kind: string,
  name: string,
  transaction?: Transaction,
): Promise<void> {
  const bind = { thing: `${kind} ${name}` };
  await records.query('SELECT pg_advisory_xact_lock(730004, hashtext($thing))', { bind, transaction });
}
