import { AsyncLocalStorage } from 'node:async_hooks';
import type { Sequelize } from 'sequelize';
import type { App } from './app.ts';
import { readMark } from './mark.sql.ts';

/** What was read of the records while they stood as one mark says. */
interface Memory {
  readonly mark: string;
  readonly kept: Map<string, Promise<unknown>>;
}

/** More keys than an installation's people, datasets and places come to; beyond it everything is read anew. */
const maxKept = 20_000;

const newest = new WeakMap<Sequelize, Memory>();
const looking = new AsyncLocalStorage<Memory>();

/**
 * Runs one look at what is published, in which records that have not changed since an earlier look are not read again.
 * The mark is read first and changes with the records, in their own transaction: what anybody changed before the look
 * began, in whatever process, counts in it.
 */
export async function look<T>(app: App, run: () => Promise<T>): Promise<T> {
  const mark = await readMark(app);
  let memory = newest.get(app.records);
  if (memory?.mark !== mark) newest.set(app.records, (memory = { mark, kept: new Map() }));
  return looking.run(memory, run);
}

/** What is kept is shared by everyone who looks: nobody may change it. */
function freeze<T>(value: T): T {
  if (typeof value !== 'object' || value === null || Object.isFrozen(value) || value instanceof Date) return value;
  Object.freeze(value);
  for (const part of Object.values(value)) freeze(part);
  return value;
}

/**
 * Reads records, or in a look gives again what an earlier look has read. Outside a look it always reads, so that
 * whoever changes records never works on what was.
 *
 * @param key - what is read, with everything that it depends on
 */
export function recall<T>(key: string, read: () => Promise<T>): Promise<T> {
  const memory = looking.getStore();
  if (memory === undefined) return read();
  const known = memory.kept.get(key);
  if (known) return known as Promise<T>;
  if (memory.kept.size >= maxKept) memory.kept.clear();
  const reading = read().then(freeze);
  memory.kept.set(key, reading);
  reading.catch(() => memory.kept.delete(key));
  return reading;
}
