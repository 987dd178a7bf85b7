import type { PlaceKind } from '@underbell/core/access';
import { defineRecord, plain, recall, type App } from '../platform/index.ts';

/** One delivery of a report or page into one place. */
export interface Placement {
  readonly name: string;
  readonly kind: PlaceKind;
  readonly title: string;
  readonly reportName: string;
  readonly page: string | null;
  /** CQL2 text by dataset. */
  readonly conditions: Readonly<Record<string, string>>;
  /** Raw values of report parameters that this place fixes. */
  readonly parameters: Readonly<Record<string, string>>;
  /** Stays with this edition; follows the current one when null. */
  readonly editionNumber: number | null;
  /** Origins whose pages may frame it. */
  readonly origins: readonly string[];
  /** Who saved it last; null where that is not known. */
  readonly writerId: string | null;
}

const table = (app: App) =>
  defineRecord<Placement>(app.records, 'placements', {
    name: 'key',
    kind: 'text',
    title: 'text',
    reportName: 'text',
    page: 'text',
    conditions: 'json',
    parameters: 'json',
    origins: 'json',
    editionNumber: 'integer',
    writerId: 'text',
  });

export async function findPlacement(app: App, name: string): Promise<Placement | undefined> {
  return recall(`placement ${name}`, async () => {
    const row = await table(app).findByPk(name);
    return row ? plain(row) : undefined;
  });
}

export async function listPlacements(app: App, report?: string): Promise<Placement[]> {
  const where = report === undefined ? {} : { reportName: report };
  return (await table(app).findAll({ where, order: ['name'] })).map(plain);
}

export async function putPlacement(app: App, placement: Placement): Promise<void> {
  await table(app).upsert(placement);
}
