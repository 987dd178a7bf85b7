import { createHash } from 'node:crypto';
import canonicalize from 'canonicalize';
import { Op } from 'sequelize';
import type { App } from './app.ts';
import { lockAll, plain, rows } from './records/index.ts';
import { auditEntries, type AuditRow } from './models.ts';

/** A change as it is remembered. Secrets are never part of it. */
export interface AuditEntry {
  readonly who: string;
  readonly what: string;
  readonly thing: string;
  readonly origin?: string;
  readonly before?: unknown;
  readonly after?: unknown;
}

/** Canonical JSON (RFC 8785), so that a value read back from the database hashes alike. */
const canonical = (value: unknown): string => canonicalize(value ?? null)!;

function hashOf(row: Omit<AuditRow, 'id' | 'hash'>): string {
  const { at, who, what, thing, origin, before, after, previousHash } = row;
  return createHash('sha256')
    .update(canonical([at.toISOString(), who, what, thing, origin, before, after, previousHash]))
    .digest('hex');
}

/** Appends an entry that carries the hash of the one before; part of the change's own transaction. */
export async function remember(app: App, entry: AuditEntry): Promise<void> {
  await lockAll(app.records, 'audit');
  const Audit = auditEntries(app);
  const last = await Audit.findOne({ order: [['id', 'DESC']] });
  const row = {
    at: new Date(app.now()),
    who: entry.who,
    what: entry.what,
    thing: entry.thing,
    origin: entry.origin ?? '',
    before: entry.before ?? null,
    after: entry.after ?? null,
    previousHash: last ? plain(last).hash : '',
  };
  await Audit.create({ ...row, hash: hashOf(row) });
}

/** Which entries are meant; each left out means all. */
export interface AuditFilter {
  /** Part of the address. */
  readonly who?: string;
  /** Part of the thing. */
  readonly thing?: string;
  /** Part of what was done. */
  readonly what?: string;
  readonly from?: Date;
  readonly to?: Date;
  /** Only older ones than the entry of this number. */
  readonly before?: number;
}

/** Parts of texts as they are looked for: no sign of them is a pattern. */
const part = (text: string) => ({ [Op.iLike]: `%${text.replace(/[\\%_]/g, '\\$&')}%` });

/** Entries of the log, the newest first. */
export function readAudit(app: App, filter: AuditFilter, limit: number): Promise<AuditRow[]> {
  const { who, thing, what, from, to, before } = filter;
  const at = { ...(from ? { [Op.gte]: from } : {}), ...(to ? { [Op.lt]: to } : {}) };
  const where = {
    ...(who === undefined ? {} : { who: part(who) }),
    ...(thing === undefined ? {} : { thing: part(thing) }),
    ...(what === undefined ? {} : { what: part(what) }),
    ...(from || to ? { at } : {}),
    ...(before === undefined ? {} : { id: { [Op.lt]: before } }),
  };
  return rows(auditEntries(app), { where: where as never, order: [['id', 'DESC']], limit });
}

/** So many entries are held at once while the chain is walked. */
const stepEntries = 1_000;

/** Walks the chain. @returns how many entries hold, and the number of the first one that does not */
export async function verifyAudit(app: App): Promise<{ entries: number; brokenAt?: number }> {
  let previousHash = '';
  let entries = 0;
  let last = 0;
  for (;;) {
    const found = await auditEntries(app).findAll({
      where: { id: { [Op.gt]: last } },
      order: [['id', 'ASC']],
      limit: stepEntries,
    });
    for (const row of found.map(plain)) {
      entries++;
      if (row.previousHash !== previousHash || hashOf(row) !== row.hash) return { entries, brokenAt: row.id };
      ({ hash: previousHash, id: last } = row);
    }
    if (found.length < stepEntries) return { entries };
  }
}
