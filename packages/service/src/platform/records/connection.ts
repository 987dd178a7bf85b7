import pg from 'pg';
import { AsyncLocalStorage } from 'node:async_hooks';
import { Sequelize, type Transaction } from 'sequelize';
import { acquireMs, connectionTo } from '../pool.ts';
import type { Settings } from '../settings.ts';

/** A connection that ends at any moment, also between being made and being listened to, brings nothing down. */
class RecordsClient extends pg.Client {
  constructor(config?: string | pg.ClientConfig) {
    super(config);
    this.on('error', () => undefined);
  }
}

/** The transaction that work belongs to, wherever in it the records are asked. */
const ambient = new AsyncLocalStorage<Map<string, unknown>>();

/** What is started within a transaction and goes on after it does not belong to it. */
function ambientTransaction(): Transaction | undefined {
  const transaction = ambient.getStore()?.get('transaction') as
    (Transaction & { finished?: string }) | null | undefined;
  return transaction && transaction.finished === undefined ? transaction : undefined;
}

/** Work that belongs to no transaction around it: what it commits stays, whatever becomes of that. */
export function outsideTransaction<T>(work: () => T): T {
  return ambient.run(new Map(), work);
}

Sequelize.useCLS({
  get: (key: string) => (key === 'transaction' ? ambientTransaction() : ambient.getStore()?.get(key)),
  set: (key: string, value: unknown) => void ambient.getStore()?.set(key, value),
  run: (work: () => unknown) => ambient.run(new Map(), work),
  bind: (work: object) => work,
} as object);

/**
 * The records, whose transactions are ambient: whatever is asked within one is asked of its connection, and one within
 * another is part of it. So nobody holds a connection while they wait for a second one, and use cases can be put together.
 */
class Records extends Sequelize {
  override transaction(...given: unknown[]): Promise<never> {
    const work = given.at(-1);
    const outer = ambientTransaction();
    if (outer !== undefined && typeof work === 'function' && given.length === 1) return work(outer) as Promise<never>;
    return (super.transaction as (...all: unknown[]) => Promise<never>)(...given);
  }
}

/** Opens the records' database. */
export function openRecords(settings: Settings): Sequelize {
  const { connectionString, ...dialectOptions } = connectionTo(settings, { name: 'records' });
  return new Records(connectionString, {
    dialect: 'postgres',
    dialectOptions,
    dialectModule: { ...pg, Client: RecordsClient },
    logging: false,
    pool: { max: settings.connections.records, idle: 10_000, acquire: acquireMs },
  });
}
