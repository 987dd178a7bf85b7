import { Op } from 'sequelize';
import type { App } from './app.ts';
import { onePerApp } from './perApp.ts';
import { lastUses } from './models.ts';
import { rows } from './records/index.ts';

/** What is used without anybody writing it down otherwise. */
export type UsedKind = 'session' | 'access token';

const againMs = 5 * 60_000;
const flushMs = 1_000;
const notedMost = 20_000;

interface Notes {
  /** When each was noted last, so that a busy key costs one write in minutes. */
  readonly noted: Map<string, number>;
  readonly waiting: Map<string, { readonly kind: UsedKind; readonly id: string; readonly at: Date }>;
  timer: NodeJS.Timeout | undefined;
}
const notesOf = onePerApp((app) => {
  const notes: Notes = { noted: new Map(), waiting: new Map(), timer: undefined };
  app.atClose.add(() => flush(app, notes));
  return notes;
});

async function flush(app: App, notes: Notes): Promise<void> {
  clearTimeout(notes.timer);
  notes.timer = undefined;
  // In one order everywhere, so that two processes never wait for each other.
  const found = [...notes.waiting].toSorted(([a], [b]) => (a < b ? -1 : 1)).map(([, use]) => use);
  notes.waiting.clear();
  if (found.length > 0) await lastUses(app).bulkCreate(found, { updateOnDuplicate: ['at'] });
}

/** Notes that a key was used, a second later and many at once: nobody waits for it. Known to five minutes. */
export function noteUse(app: App, kind: UsedKind, id: string): void {
  const own = notesOf(app);
  const key = `${kind} ${id}`;
  const now = app.now();
  if (now - (own.noted.get(key) ?? 0) < againMs) return;
  if (own.noted.size >= notedMost) own.noted.clear();
  own.noted.set(key, now);
  own.waiting.set(key, { kind, id, at: new Date(now) });
  own.timer ??= setTimeout(
    () =>
      void flush(app, own).catch((error: unknown) => app.log.warn({ err: error }, 'last uses could not be written')),
    flushMs,
  ).unref();
}

/** When each of some keys was used last; nothing for one that never was. */
export async function lastUsesOf(app: App, kind: UsedKind, ids: readonly string[]): Promise<Map<string, Date>> {
  if (ids.length === 0) return new Map();
  const found = await rows(lastUses(app), { where: { kind, id: [...ids] } });
  return new Map(found.map((one) => [one.id, one.at]));
}

/** What is older than any key that lives is forgotten. */
export async function forgetUses(app: App, before: Date): Promise<void> {
  await lastUses(app).destroy({ where: { at: { [Op.lt]: before } } });
}
