import { Op } from 'sequelize';
import type { App } from './app.ts';
import { Batch } from './batch.ts';
import { perInstance } from './perInstance.ts';
import { lastUses } from './models.ts';
import { rows } from './records/index.ts';

/** What is used without anybody writing it down otherwise. */
export type UsedKind = 'session' | 'access token';

const againMs = 5 * 60_000;
const notedMost = 20_000;

interface Use {
  readonly kind: UsedKind;
  readonly id: string;
  readonly at: Date;
}

const notesOf = perInstance((app) => ({
  /** When each was noted last, so that a busy key costs one write in minutes. */
  noted: new Map<string, number>(),
  batch: new Batch<Use>(app, 'last uses', async (uses) => {
    // In one order everywhere, so that two processes never wait for each other.
    const newest = new Map(uses.map((use) => [`${use.kind} ${use.id}`, use]));
    const found = [...newest].toSorted(([a], [b]) => (a < b ? -1 : 1)).map(([, use]) => use);
    await lastUses(app).bulkCreate(found, { updateOnDuplicate: ['at'] });
  }),
}));

/** Notes that a key was used, a second later and many at once: nobody waits for it. Known to five minutes. */
export function noteUse(app: App, kind: UsedKind, id: string): void {
  const { noted, batch } = notesOf(app);
  const key = `${kind} ${id}`;
  const now = app.now();
  if (now - (noted.get(key) ?? 0) < againMs) return;
  if (noted.size >= notedMost) noted.clear();
  noted.set(key, now);
  batch.add({ kind, id, at: new Date(now) });
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
