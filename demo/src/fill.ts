import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { makeCompany, type Company } from './company.ts';
import { leadList } from './people.ts';
import { berthWorkLines, kioskLines, managerList, sailingColumns, sailingLines } from './sailings.ts';

/** The cluster, as far as the demo needs it. */
export interface DemoCluster {
  readonly port: number;
  asOwner<T>(work: (client: pg.Client) => Promise<T>, database?: string): Promise<T>;
  ensureDatabase(name: string): Promise<boolean>;
}

export const sourceUser = 'skerrow_reports';
export const sourcePassword = 'tide-table-4';
const defaultRows = 60_000;

const schema = `
CREATE TABLE districts (name text PRIMARY KEY);
CREATE TABLE quays (quay_id text PRIMARY KEY, name text NOT NULL, district text NOT NULL REFERENCES districts, is_closed boolean NOT NULL);
CREATE TABLE routes (route_id text PRIMARY KEY, name text NOT NULL);
CREATE TABLE vessels (name text PRIMARY KEY);
CREATE TABLE sailings (
  sailing_id bigint NOT NULL, quay_id text NOT NULL, route_id text NOT NULL, destination_id text NOT NULL, vessel text NOT NULL,
  planned_departure timestamptz NOT NULL, actual_departure timestamptz, passengers integer NOT NULL, vehicles integer NOT NULL,
  fares numeric(10,2) NOT NULL, cancelled boolean NOT NULL, cancel_cause text
);
CREATE TABLE berth_works (work_id integer NOT NULL, quay_id text NOT NULL, berth integer NOT NULL, kind text NOT NULL, starts_on date NOT NULL, ends_on date NOT NULL, cost numeric(10,2) NOT NULL);
CREATE TABLE kiosk_takings (quay_id text NOT NULL, taken_on date NOT NULL, takings numeric(10,2) NOT NULL, receipts integer NOT NULL);
`;

/** Puts lines together so that COPY gets pieces of a useful size. */
function* inPieces(lines: Iterable<string>): Generator<string> {
  let piece = '';
  for (const line of lines) {
    piece += line;
    if (piece.length < 65_536) continue;
    yield piece;
    piece = '';
  }
  if (piece !== '') yield piece;
}

async function copyLines(client: pg.Client, table: string, lines: Iterable<string>): Promise<void> {
  await pipeline(Readable.from(inPieces(lines)), client.query(copyFrom(`COPY ${table} FROM STDIN (FORMAT csv)`)));
}

async function fillTables(client: pg.Client, company: Company, rows: number): Promise<void> {
  await client.query(schema);
  await copyLines(
    client,
    'districts',
    [...new Set(company.quays.map((quay) => quay.district))].map((name) => `${name}\n`),
  );
  await copyLines(
    client,
    'quays',
    company.quays.map((quay) => `${quay.id},${quay.name},${quay.district},${quay.isClosed}\n`),
  );
  await copyLines(
    client,
    'routes',
    company.routes.map((route) => `${route.id},${route.name}\n`),
  );
  await copyLines(
    client,
    'vessels',
    company.vessels.map((name) => `${name}\n`),
  );
  await copyLines(client, `sailings (${sailingColumns.join(', ')})`, sailingLines(company, rows));
  await copyLines(client, 'berth_works', berthWorkLines(company));
  await copyLines(client, 'kiosk_takings', kioskLines(company));
  await client.query('ANALYZE');
}

/** How many quays go with so many sailings: 52 up to the demo's size, at most 300. */
export function quaysFor(rows: number): number {
  return Math.max(52, Math.min(300, Math.round((52 * rows) / defaultRows)));
}

/**
 * Makes the ferry company's own database, which Under Bell knows only as a source, and its recipient list.
 *
 * @param folder - the lists go to `lists/quay-managers.csv` and `lists/district-leads.csv` below it
 * @param rows - about how many sailings; the one number that sizes everything
 */
export async function fillSkerrow(cluster: DemoCluster, folder: string, rows = defaultRows): Promise<Company> {
  const company = makeCompany(quaysFor(rows));
  await cluster.ensureDatabase('skerrow');
  await cluster.asOwner((client) => fillTables(client, company, rows), 'skerrow');
  await cluster.asOwner(async (client) => {
    const known = await client.query('SELECT 1 FROM pg_roles WHERE rolname = $1', [sourceUser]);
    if (known.rowCount === 0)
      await client.query(`CREATE ROLE ${sourceUser} LOGIN PASSWORD ${client.escapeLiteral(sourcePassword)}`);
    await client.query(`GRANT SELECT ON ALL TABLES IN SCHEMA public TO ${sourceUser}`);
  }, 'skerrow');
  mkdirSync(join(folder, 'lists'), { recursive: true });
  writeFileSync(join(folder, 'lists', 'quay-managers.csv'), managerList(company));
  writeFileSync(join(folder, 'lists', 'district-leads.csv'), leadList(company));
  return company;
}
