import { isAtLeast } from '@underbell/core/access';
import { companyOf } from '@underbell/core/app';
import { rightOn } from '../access/index.ts';
import type { App, PlaceVisitor, CompanyVariantResolver } from '../platform/index.ts';
import { isOff } from './requireEnabledApp.ts';
import { appOfClient, choiceOf, offersOf, placeIn } from './store.ts';

/** What the company of whoever looks chose for a place, as long as the app is on. */
export async function companyVariantOf(
  app: App,
  placement: string,
  who: PlaceVisitor,
): Promise<CompanyVariantResolver | undefined> {
  const found = await placeIn(app, placement);
  if (!found) return undefined;
  const { row } = found;
  // Whoever writes the company into their own address looks as another one: only those who set the app up may, to see it.
  const isTold = row.company?.from !== 'record' || !who.isOwnRecord || (await maySetUp(app, row.name, who));
  const company = isTold ? companyOf(row.company, who) : undefined;
  const chosen = company === undefined ? undefined : await choiceOf(app, placement, company);
  const name = chosen?.placementName ?? undefined;
  // What is offered there no more counts no more.
  const isOffered = name !== undefined && (await offersOf(app, placement)).includes(name);
  return { shows: isOffered ? name : placement, ...(row.isOn ? {} : { closed: isOff(row) }) };
}

async function maySetUp(app: App, name: string, { person }: PlaceVisitor): Promise<boolean> {
  return person !== undefined && isAtLeast(await rightOn(app, person, 'app', name), 'edit');
}

/** A program of an app that is off asks for nothing, and what it was given opens nothing. @throws {Refusal} `APP_DISABLED` */
export async function requireEnabledApp(app: App, clientId: string): Promise<void> {
  const row = await appOfClient(app, clientId);
  if (row && !row.isOn) throw isOff(row);
}
