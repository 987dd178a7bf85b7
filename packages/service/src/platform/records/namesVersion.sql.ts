import { AsyncLocalStorage } from 'node:async_hooks';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import type { Sequelize } from 'sequelize';

// Models know nothing of advisory locks.

/** The version of all names as it was when a piece of work began. */
interface Known {
  version: string;
}

/** Held by whoever saves what names things, shared, and by whoever renames one, alone. */
export const namesLock = 730_005;

const known = new AsyncLocalStorage<Known>();
const maxTries = 4;

async function readVersion(records: Sequelize): Promise<string> {
  const [rows] = await records.query('SELECT version FROM names_version');
  return (rows as { version: string }[])[0]!.version;
}

const changed = () =>
  new Refusal('NAMES_CHANGED', 'Something was renamed or deleted while this was being saved.', {
    hint: 'Look again, then save again.',
  });

/**
 * Does work that looks at things by their names, then saves what names them. Where something was renamed or deleted between
 * the two, nothing is saved, and all of it is done anew.
 */
export async function amongNames<T>({ records }: { readonly records: Sequelize }, work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await known.run({ version: await readVersion(records) }, work);
    } catch (error) {
      if (!isRefusal(error, 'NAMES_CHANGED') || tries >= maxTries) throw error;
    }
  }
}

/**
 * Checks, while names are held, that all are as they were when the work around it began.
 *
 * @throws {Refusal} `NAMES_CHANGED`
 */
export async function requireSameNames(records: Sequelize): Promise<void> {
  const before = known.getStore();
  if (before && (await readVersion(records)) !== before.version) throw changed();
}

/** Keeps everybody else from saving what names things until the transaction ends, for who renames or deletes one. */
export async function changeNames({ records }: { readonly records: Sequelize }): Promise<void> {
  await records.query('SELECT pg_advisory_xact_lock($number)', { bind: { number: namesLock } });
  await requireSameNames(records);
  const [rows] = await records.query('UPDATE names_version SET version = version + 1 RETURNING version');
  const before = known.getStore();
  if (before) before.version = (rows as { version: string }[])[0]!.version;
}
