import { isDeepStrictEqual } from 'node:util';
import { LRUCache } from 'lru-cache';
import { Op, Transaction } from 'sequelize';
import type { ReportDefinition, ShownEdition } from '@underbell/core/report';
import { notFound } from '../access/index.ts';
import { announce, highest, all, one, plain, recall, perInstance, type App, type Named } from '../platform/index.ts';
import { editions, reports, type EditionRow, type ReportRow } from './models.ts';

/** One published version of a report. */
export interface Edition {
  readonly number: number;
  readonly definition: ReportDefinition;
  /** Who published it; null where that is not known. */
  readonly writerId: string | null;
  readonly publishedBy: string;
  readonly publishedAt: Date;
}

/** Far shorter than a name lies in the bin before its numbers can begin anew. */
const keptMs = 60 * 60_000;

/** Editions never change but for names that they follow, so a process reads each only now and then. */
const keptEditions = perInstance(() => new LRUCache<string, Edition>({ max: 500, ttl: keptMs }));

const keyOf = ({ name, naming, editionNumber }: Pick<ReportRow, 'name' | 'naming' | 'editionNumber'>) =>
  `${name} ${naming} ${editionNumber}`;

const toEdition = ({ number, definition, writerId, publishedBy, publishedAt }: EditionRow): Edition => ({
  number,
  definition,
  writerId,
  publishedBy,
  publishedAt,
});

/** The current edition of a report, or a given one. @throws {Refusal} `NOT_FOUND` */
export async function findEdition(app: App, name: string, number?: number): Promise<Edition> {
  const report = await recall(`report ${name}`, async () => {
    return one(reports(app).findOne({ where: { name, deletedAt: null } }));
  });
  // Which others there are, only those hear who may see them.
  if (!report) throw notFound('report', name, []);
  const wanted = { ...report, editionNumber: number ?? report.editionNumber };
  const edition = (await editionsBy(app, [wanted])).get(name);
  if (edition) return edition;
  throw notFound(`edition of ${name}`, String(wanted.editionNumber), []);
}

/** Some editions by the names of their reports: those that the process does not have are read at once. */
async function editionsBy(
  app: App,
  wanted: readonly Pick<ReportRow, 'name' | 'naming' | 'editionNumber'>[],
): Promise<ReadonlyMap<string, Edition>> {
  const kept = keptEditions(app);
  const missing = wanted.filter((one) => !kept.has(keyOf(one)));
  const found = new Map<string, Edition>();
  if (missing.length > 0) {
    const which = missing.map(({ name, editionNumber }) => ({ reportName: name, number: editionNumber }));
    for (const row of await all(editions(app).findAll({ where: { [Op.or]: which } })))
      found.set(row.reportName, toEdition(row));
  }
  for (const one of wanted) {
    const edition = found.get(one.name) ?? kept.get(keyOf(one));
    if (!edition) continue;
    kept.set(keyOf(one), edition);
    found.set(one.name, edition);
  }
  return found;
}

/** Whether there is such a report, also one in the bin. */
export async function findReport(app: App, name: string): Promise<{ isBinned: boolean } | undefined> {
  const row = await reports(app).findByPk(name);
  return row ? { isBinned: row.get('deletedAt') !== null } : undefined;
}

/** Stores the next edition and makes it the current one. */
export async function addEdition(
  app: App,
  edition: { definition: ReportDefinition; notes: string; by: { readonly id: string; readonly name: string } },
): Promise<number> {
  const { name, title } = edition.definition;
  const known = await reports(app).findByPk(name, { lock: Transaction.LOCK.UPDATE });
  const number = (await highest(editions(app), 'number', { reportName: name })) + 1;
  if (known) await known.update({ title, editionNumber: number });
  else await reports(app).create({ name, title, editionNumber: number, naming: 0, deletedAt: null });
  await editions(app).create({
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
  const rows = await editions(app).findAll({ where: { reportName: name }, order: [['number', 'DESC']] });
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
  await reports(app).update(change, { where: { name } });
}

export async function retire(app: App, name: string, number: number): Promise<void> {
  await editions(app).update({ retiredAt: new Date(app.now()) }, { where: { reportName: name, number } });
}

/** The editions that are shown of all reports, in the order of their names. */
export async function currentEditions(app: App): Promise<readonly Edition[]> {
  const listed = await all(reports(app).findAll({ where: { deletedAt: null }, order: ['name'] }));
  const found = await editionsBy(app, listed);
  return listed.flatMap(({ name }) => found.get(name) ?? []);
}

export async function currentDefinitions(app: App): Promise<ReportDefinition[]> {
  return (await currentEditions(app)).map((one) => one.definition);
}

/** Lets every edition, also of reports in the bin, follow something that was given another name. */
export async function rewriteEditions(
  app: App,
  thing: Named,
  rewrite: (definition: ReportDefinition) => ReportDefinition,
): Promise<void> {
  if (thing.kind !== 'report' && thing.kind !== 'dataset') return;
  const touched = new Set<string>();
  for (const row of await editions(app).findAll()) {
    const { reportName, number, definition } = plain(row);
    const written = rewrite(definition);
    if (isDeepStrictEqual(written, definition)) continue;
    await editions(app).update({ definition: written }, { where: { reportName, number } });
    touched.add(reportName);
  }
  await reports(app).increment('naming', { where: { name: [...touched] } });
  // Whoever keeps what is behind a report looks again.
  for (const name of touched) await announce(app, { kind: 'report', name });
}
