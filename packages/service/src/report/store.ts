import { isDeepStrictEqual } from 'node:util';
import { LRUCache } from 'lru-cache';
import { type Model, Transaction } from 'sequelize';
import type { ReportDefinition, ShownEdition } from '@underbell/core/report';
import { noSuch } from '../access/index.ts';
import { defineRecord, plain, recall, type App, type Named } from '../platform/index.ts';

interface ReportRow {
  name: string;
  title: string;
  /** The current one. */
  editionNumber: number;
  /** Counts how often names in its editions followed things that were renamed. */
  naming: number;
  deletedAt: Date | null;
}

interface EditionRow {
  reportName: string;
  number: number;
  definition: ReportDefinition;
  notes: string;
  publishedBy: string;
  /** Its number; nothing where that is not known. */
  writerId: string | null;
  publishedAt: Date;
  retiredAt: Date | null;
}

/** One published version of a report. */
export interface Edition {
  readonly number: number;
  readonly definition: ReportDefinition;
  /** Who published it; null where that is not known. */
  readonly writerId: string | null;
}

const tables = (app: App) => ({
  reports: defineRecord<ReportRow>(app.records, 'reports', {
    name: 'key',
    title: 'text',
    editionNumber: 'integer',
    naming: 'integer',
    deletedAt: 'instant',
  }),
  editions: defineRecord<EditionRow>(app.records, 'editions', {
    reportName: 'key',
    number: 'key',
    definition: 'json',
    notes: 'text',
    publishedBy: 'text',
    writerId: 'text',
    publishedAt: 'instant',
    retiredAt: 'instant',
  }),
});

export async function listReports(app: App): Promise<ReportRow[]> {
  return (await tables(app).reports.findAll({ where: { deletedAt: null }, order: ['name'] })).map(plain);
}

const editionsOf = new WeakMap<App, LRUCache<string, Edition>>();

/** Far shorter than a name lies in the bin before its numbers can begin anew. */
const keptMs = 60 * 60_000;

/** Editions never change but for names that they follow, so a process reads each only now and then. */
function keptEditions(app: App): LRUCache<string, Edition> {
  const known = editionsOf.get(app) ?? new LRUCache<string, Edition>({ max: 500, ttl: keptMs });
  editionsOf.set(app, known);
  return known;
}

/** The current edition of a report, or a given one. @throws {Refusal} `NOT_FOUND` */
export async function findEdition(app: App, name: string, number?: number): Promise<Edition> {
  const report = await recall(`report ${name}`, async () => {
    const row = await tables(app).reports.findOne({ where: { name, deletedAt: null } });
    return row ? plain(row) : undefined;
  });
  // Which others there are, only those hear who may see them.
  if (!report) throw noSuch('report', name, []);
  const wanted = number ?? report.editionNumber;
  const kept = keptEditions(app);
  const key = `${name} ${report.naming} ${wanted}`;
  const known = kept.get(key);
  if (known) return known;
  const edition = await tables(app).editions.findOne({ where: { reportName: name, number: wanted } });
  if (!edition) throw noSuch(`edition of ${name}`, String(wanted), []);
  const { definition, writerId } = plain(edition);
  const found: Edition = { number: wanted, definition, writerId };
  kept.set(key, found);
  return found;
}

/** Whether there is such a report, also one in the bin. */
export async function findReport(app: App, name: string): Promise<{ isBinned: boolean } | undefined> {
  const row = await tables(app).reports.findByPk(name);
  return row ? { isBinned: row.get('deletedAt') !== null } : undefined;
}

/** Stores the next edition and makes it the current one. */
export async function addEdition(
  app: App,
  edition: { definition: ReportDefinition; notes: string; by: { readonly id: string; readonly name: string } },
): Promise<number> {
  const { reports, editions } = tables(app);
  const { name, title } = edition.definition;
  const known = await reports.findByPk(name, { lock: Transaction.LOCK.UPDATE });
  const last = await editions.max<number | null, Model<EditionRow, Partial<EditionRow>>>('number', {
    where: { reportName: name },
  });
  const number = (last ?? 0) + 1;
  if (known) await known.update({ title, editionNumber: number });
  else await reports.create({ name, title, editionNumber: number, naming: 0, deletedAt: null });
  await editions.create({
    reportName: name,
    number,
    definition: edition.definition,
    notes: edition.notes,
    publishedBy: edition.by.name,
    writerId: edition.by.id,
    publishedAt: new Date(app.now()),
    retiredAt: null,
  });
  return number;
}

export async function listEditions(app: App, name: string): Promise<ShownEdition<Date>[]> {
  const rows = await tables(app).editions.findAll({ where: { reportName: name }, order: [['number', 'DESC']] });
  return rows.map(plain).map(({ number, notes, publishedBy, publishedAt, retiredAt }) => ({
    number,
    notes,
    publishedBy,
    publishedAt,
    retiredAt,
  }));
}

/** Makes an edition the current one. */
export async function setCurrent(app: App, name: string, edition: { number: number; title: string }): Promise<void> {
  const change = { editionNumber: edition.number, title: edition.title };
  await tables(app).reports.update(change, { where: { name } });
}

export async function retire(app: App, name: string, number: number): Promise<void> {
  await tables(app).editions.update({ retiredAt: new Date(app.now()) }, { where: { reportName: name, number } });
}

/** The definitions that are shown of all reports, read at once. */
export async function currentDefinitions(app: App): Promise<ReportDefinition[]> {
  const reports = await listReports(app);
  return Promise.all(reports.map(async ({ name }) => (await findEdition(app, name)).definition));
}

/** Lets every edition, also of reports in the bin, follow something that was given another name. */
export async function rewriteEditions(
  app: App,
  thing: Named,
  rewrite: (definition: ReportDefinition) => ReportDefinition,
): Promise<void> {
  if (thing.kind !== 'report' && thing.kind !== 'dataset') return;
  const { editions, reports } = tables(app);
  const touched = new Set<string>();
  for (const row of await editions.findAll()) {
    const { reportName, number, definition } = plain(row);
    const written = rewrite(definition);
    if (isDeepStrictEqual(written, definition)) continue;
    await editions.update({ definition: written }, { where: { reportName, number } });
    touched.add(reportName);
  }
  await reports.increment('naming', { where: { name: [...touched] } });
}
