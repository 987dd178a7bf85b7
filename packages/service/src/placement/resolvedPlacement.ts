import { recordFieldsIn, type RecordField } from '@underbell/core/access';
import { findDataset } from '../dataset/index.ts';
import type { App, PlaceVisitor, CompanyVariantResolver } from '../platform/index.ts';
import type { Placement } from './models.ts';
import { findPlacement } from './store.ts';

/** What stands in a placement for somebody, under its name and for its hosts, or why nothing does. */
export interface ResolvedPlacement {
  readonly placement: Placement;
  readonly closed?: NonNullable<CompanyVariantResolver['closed']>;
}

/** What an app shows in one of its places is what the company of whoever looks chose there. */
export async function resolvePlacement(app: App, asked: Placement, who: PlaceVisitor): Promise<ResolvedPlacement> {
  const { shows, closed } = await app.things.companyVariantOf(asked.name, who);
  const other = shows === asked.name ? undefined : await findPlacement(app, shows);
  const { name, kind, origins } = asked;
  const suspendedAt = asked.suspendedAt ?? other?.suspendedAt ?? null;
  return { placement: { ...(other ?? asked), name, kind, origins, suspendedAt }, ...(closed ? { closed } : {}) };
}

/** The fields of the host's record that a placement's filter needs. */
export async function recordFieldsOf(app: App, { conditions }: Pick<Placement, 'conditions'>): Promise<RecordField[]> {
  const found = new Map<string, RecordField>();
  for (const [dataset, text] of Object.entries(conditions)) {
    // Most filters name no record: those are not read a second time.
    if (!text.includes('record')) continue;
    for (const field of recordFieldsIn(text, await findDataset(app, dataset)))
      if (!found.has(field.name)) found.set(field.name, field);
  }
  return [...found.values()];
}
