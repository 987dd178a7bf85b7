import type { Transaction } from 'sequelize';
import type { ReportDefinition } from '@underbell/core/report';
import { noSuch } from '../access/rights.ts';
import { defineRecord, plain, type App } from '../platform/index.ts';

interface ReportRow {
  name: string;
  title: string;
  editionNumber: number;
}

interface EditionRow {
  reportName: string;
  number: number;
  definition: ReportDefinition;
  notes: string;
  publishedBy: string;
  publishedAt: Date;
}

/** One published version of a report. */
export interface Edition {
  readonly number: number;
  readonly definition: ReportDefinition;
}

const tables = (app: App) => ({
  reports: defineRecord<ReportRow>(app.records, 'reports', { name: 'key', title: 'text', editionNumber: 'integer' }),
  editions: defineRecord<EditionRow>(app.records, 'editions', {
    reportName: 'key',
    number: 'key',
    definition: 'json',
    notes: 'text',
    publishedBy: 'text',
    publishedAt: 'instant',
  }),
});

export async function listReports(app: App): Promise<ReportRow[]> {
  return (await tables(app).reports.findAll({ order: ['name'] })).map(plain);
}

/** The current edition of a report, or a given one. @throws {Refusal} `NOT_FOUND` */
export async function findEdition(app: App, name: string, number?: number): Promise<Edition> {
  const report = await tables(app).reports.findByPk(name);
  if (!report)
    throw noSuch(
      'report',
      name,
      (await listReports(app)).map((one) => one.name),
    );
  const wanted = number ?? plain(report).editionNumber;
  const edition = await tables(app).editions.findOne({ where: { reportName: name, number: wanted } });
  if (!edition) throw noSuch(`edition of ${name}`, String(wanted), []);
  return { number: wanted, definition: plain(edition).definition };
}

export async function hasReport(app: App, name: string): Promise<boolean> {
  return (await tables(app).reports.count({ where: { name } })) > 0;
}

/** Stores the next edition and makes it the current one. */
export async function addEdition(
  app: App,
  edition: { definition: ReportDefinition; notes: string; by: string },
  transaction: Transaction,
): Promise<number> {
  const { reports, editions } = tables(app);
  const { name, title } = edition.definition;
  const known = await reports.findByPk(name, { lock: transaction.LOCK.UPDATE, transaction });
  const number = known ? plain(known).editionNumber + 1 : 1;
  if (known) await known.update({ title, editionNumber: number }, { transaction });
  else await reports.create({ name, title, editionNumber: number }, { transaction });
  await editions.create(
    {
      reportName: name,
      number,
      definition: edition.definition,
      notes: edition.notes,
      publishedBy: edition.by,
      publishedAt: new Date(app.now()),
    },
    { transaction },
  );
  return number;
}

export async function listEditions(app: App, name: string): Promise<Omit<EditionRow, 'definition' | 'reportName'>[]> {
  const rows = await tables(app).editions.findAll({ where: { reportName: name }, order: [['number', 'DESC']] });
  return rows
    .map(plain)
    .map(({ number, notes, publishedBy, publishedAt }) => ({ number, notes, publishedBy, publishedAt }));
}
