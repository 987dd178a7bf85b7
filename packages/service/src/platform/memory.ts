import { AsyncLocalStorage } from 'node:async_hooks';
import type { Sequelize } from 'sequelize';
import type { App } from './app.ts';
import { readRecordVersion } from './recordVersion.sql.ts';

/** What was read of the records while they stood at one version. */
interface Memory {
  readonly version: string;
  readonly kept: Map<string, Promise<unknown>>;
}

/** More keys than an installation's people, datasets and places come to; beyond it everything is read anew. */
const maxKept = 20_000;

const newest = new WeakMap<Sequelize, Memory>();
const reading = new AsyncLocalStorage<Memory>();

/**
 * Reads what is published: records that have not changed since an earlier reading are not read again.
 * The version of the records is read first and changes with them, in their own transaction: what anybody changed before the
 * reading began, in whatever process, counts in it.
 *
 * @param known - the version, where it was read since the request came
 */
export async function withMemory<T>(app: App, run: () => Promise<T>, known?: string): Promise<T> {
  const version = known ?? (await readRecordVersion(app));
  let memory = newest.get(app.records);
  if (memory?.version !== version) newest.set(app.records, (memory = { version, kept: new Map() }));
  return reading.run(memory, run);
}

/** What is kept is shared by all readings: nobody may change it. */
function freeze<T>(value: T): T {
  if (typeof value !== 'object' || value === null || Object.isFrozen(value) || value instanceof Date) return value;
  Object.freeze(value);
  for (const part of Object.values(value)) freeze(part);
  return value;
}

/**
 * Reads records, or gives again what an earlier reading with a memory has read. Outside of one it always reads, so that
 * whoever changes records never works on what was.
 *
 * @param key - what is read, with everything that it depends on
 */
export function recall<T>(key: string, read: () => Promise<T>): Promise<T> {
  const memory = reading.getStore();
  if (memory === undefined) return read();
  const known = memory.kept.get(key);
  if (known) return known as Promise<T>;
  if (memory.kept.size >= maxKept) memory.kept.clear();
  const found = read().then(freeze);
  memory.kept.set(key, found);
  found.catch(() => memory.kept.delete(key));
  return found;
}

/** The version of the records that this reading works with; nothing where it keeps none. */
export const versionRead = (): string | undefined => reading.getStore()?.version;
