import { type PersonViewer } from '@underbell/core/access';
import type { AppPlace, CompanyChoice } from '@underbell/core/app';
import { Refusal, suggest } from '@underbell/core/refusal';
import { notFound, requireRight, rightsFor } from '../access/index.ts';
import { findPlacement, listPlacements, shownResource, type Placement } from '../placement/index.ts';
import { announce, lockResource, remember, type App } from '../platform/index.ts';
import { requireApp } from './requireEnabledApp.ts';
import { appChoices, appOffers, appPlaces, type AppChoiceRow } from './models.ts';
import { choiceOf, listChoices, listOffers, listPlaces, placeIn } from './store.ts';

/** How many choices of a place are told, the newest first. */
const toldChoices = 200;

function shownChoices(all: readonly AppChoiceRow[]): CompanyChoice<Date>[] {
  const counted = new Set<string>();
  return all.slice(0, toldChoices).map(({ id, company, placementName, chosenBy, chosenAt }) => {
    const counts = !counted.has(company);
    counted.add(company);
    return { id, company, shows: placementName, by: chosenBy, at: chosenAt, counts };
  });
}

const placed = ({ reportName, boardName, page, figure }: Placement) => ({
  ...(reportName === null ? {} : { report: reportName }),
  ...(boardName === null ? {} : { board: boardName }),
  ...(page === null ? {} : { page }),
  ...(figure === null ? {} : { figure }),
});

/**
 * The placements that stand in an app. A reader is told of those whose report or board they may see, and nothing of which
 * company has which instead, or who chose it.
 *
 * @param isWhole - for who sets the app up
 */
export async function shownPlaces(
  app: App,
  person: PersonViewer,
  name: string,
  isWhole: boolean,
): Promise<AppPlace<Date>[]> {
  const right = rightsFor(app, person);
  const places = await listPlaces(app, name);
  const names = places.map((one) => one.placementName);
  const [offers, choices, placements] = await Promise.all([
    listOffers(app, names),
    listChoices(app, names),
    listPlacements(app),
  ]);
  const told: AppPlace<Date>[] = [];
  for (const { placementName, inPanel } of places) {
    const placement = placements.find((one) => one.name === placementName);
    if (!placement || !(isWhole || (await right(shownResource(placement))))) continue;
    told.push({
      placement: placementName,
      title: placement.title,
      ...placed(placement),
      inPanel,
      offers: isWhole ? (offers.get(placementName) ?? []) : [],
      companies: isWhole ? shownChoices(choices.filter((one) => one.placeName === placementName)) : [],
    });
  }
  return told;
}

/** What may stand in a place instead has to stand in the same app, and shows what the person may change. */
async function checkOffers(app: App, appName: string, place: string, offers: readonly string[]): Promise<void> {
  const names = (await listPlaces(app, appName)).map((one) => one.placementName).filter((one) => one !== place);
  for (const [i, offer] of offers.entries())
    if (!names.includes(offer))
      throw new Refusal(
        'INPUT_INVALID',
        offer === place ? 'A placement cannot be its own alternative.' : `Placement “${offer}” is not in this app.`,
        {
          pointer: `/offers/${i}`,
          word: offer,
          ...suggest(offer, names),
          ...(offer === place ? {} : { hint: 'Add it to this app first.' }),
        },
      );
}

/**
 * Puts a placement into an app, and says what companies may have there instead.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` for who may not edit both the app and what is shown, `IN_USE` where it stands in
 * another app
 */
export async function savePlace(
  app: App,
  person: PersonViewer,
  appName: string,
  name: string,
  wish: { readonly inPanel: boolean; readonly offers: readonly string[] },
  origin: string,
): Promise<void> {
  await requireApp(app, person, appName, 'edit');
  const placement = await findPlacement(app, name);
  if (!placement) throw notFound('placement', name, []);
  const thing = shownResource(placement);
  await requireRight(app, person, 'edit', thing.kind, thing.name);
  if (placement.kind !== 'app')
    throw new Refusal('INPUT_INVALID', `Placement “${name}” has type ${placement.kind}.`, {
      word: name,
      hint: 'An app needs placements of type “app”.',
    });
  await app.records.transaction(async () => {
    await lockResource(app, 'app', appName);
    // What is taken out at this moment is offered no more.
    await checkOffers(app, appName, name, wish.offers);
    const before = await placeIn(app, name);
    if (before && before.row.name !== appName)
      throw new Refusal('IN_USE', `Placement “${name}” is in app “${before.row.title}” already.`, { word: name });
    const old = before
      ? { inPanel: before.place.inPanel, offers: (await listOffers(app, [name])).get(name) ?? [] }
      : undefined;
    await appPlaces(app).upsert({ placementName: name, appName, inPanel: wish.inPanel });
    await appOffers(app).destroy({ where: { placeName: name } });
    await appOffers(app).bulkCreate(
      wish.offers.map((placementName, position) => ({ placeName: name, placementName, position })),
    );
    await endChoices(app, person, name, old?.offers.filter((one) => !wish.offers.includes(one)) ?? []);
    const what = 'app placement saved';
    await remember(app, {
      who: person.email,
      what,
      thing: `app ${appName}`,
      origin,
      before: old,
      after: { placement: name, ...wish },
    });
    await announce(app, { kind: 'placement', name });
  });
}

/** Whoever had what is offered no more has the standard from now on. */
async function endChoices(app: App, person: PersonViewer, place: string, gone: readonly string[]): Promise<void> {
  if (gone.length === 0) return;
  for (const { company, shows, counts } of shownChoices(await listChoices(app, [place])))
    if (counts && shows !== null && gone.includes(shows)) await addChoice(app, person, place, company, null);
}

async function addChoice(app: App, person: PersonViewer, placeName: string, company: string, shows: string | null) {
  const row = { placeName, company, placementName: shows, chosenBy: person.email, chosenAt: new Date(app.now()) };
  await appChoices(app).create(row as never);
}

/** Takes a placement out of an app; it stays what it is. @throws {Refusal} as for putting it there */
export async function removePlace(
  app: App,
  person: PersonViewer,
  appName: string,
  name: string,
  origin: string,
): Promise<void> {
  await requireApp(app, person, appName, 'edit');
  const placement = await requirePlace(app, appName, name);
  const thing = shownResource(placement);
  await requireRight(app, person, 'edit', thing.kind, thing.name);
  await app.records.transaction(async () => {
    await lockResource(app, 'app', appName);
    // Whoever had it somewhere has the standard there from now on, also when it comes back.
    for (const place of await listPlaces(app, appName)) await endChoices(app, person, place.placementName, [name]);
    await appPlaces(app).destroy({ where: { placementName: name, appName } });
    await remember(app, {
      who: person.email,
      what: 'app placement removed',
      thing: `app ${appName}`,
      origin,
      before: { placement: name },
    });
    await announce(app, { kind: 'placement', name });
  });
}

async function requirePlace(app: App, appName: string, name: string): Promise<Placement> {
  const names = (await listPlaces(app, appName)).map((one) => one.placementName);
  const placement = names.includes(name) ? await findPlacement(app, name) : undefined;
  if (placement) return placement;
  throw notFound('placement', name, names);
}

/** What a company is to have in a place; `expected` is the choice that was looked at, by its number. */
export interface CompanyWish {
  readonly company: string;
  /** The standard, where it is null. */
  readonly shows: string | null;
  readonly expected?: number | undefined;
}

/**
 * Chooses for everybody of one company what stands in a place of an app. Another company keeps its own.
 *
 * @throws {Refusal} `NOT_ALLOWED` for who may not edit the app, `INPUT_INVALID` for what is not offered there,
 * `VERSION_CONFLICT` where another choice came in between
 */
export async function chooseForCompany(
  app: App,
  person: PersonViewer,
  appName: string,
  name: string,
  { company, shows, expected }: CompanyWish,
  origin: string,
): Promise<void> {
  const row = await requireApp(app, person, appName, 'edit');
  await requirePlace(app, appName, name);
  if (row.company === null)
    throw new Refusal('INPUT_INVALID', `App “${row.title}” does not define the company of a user.`, {
      hint: 'An administrator sets the record field or user attribute with the company.',
    });
  await app.records.transaction(async () => {
    await lockResource(app, 'app', appName);
    const offers = (await listOffers(app, [name])).get(name) ?? [];
    if (shows !== null && !offers.includes(shows))
      throw new Refusal('INPUT_INVALID', `“${shows}” is not an alternative of this placement.`, {
        pointer: '/shows',
        word: shows,
        ...suggest(shows, offers),
      });
    const before = await choiceOf(app, name, company);
    if (expected !== undefined && expected !== (before?.id ?? 0))
      throw new Refusal(
        'VERSION_CONFLICT',
        `${before?.chosenBy ?? 'Another user'} changed the variant of ${company}.`,
        {
          hint: 'Reload and try again.',
        },
      );
    await addChoice(app, person, name, company, shows);
    await remember(app, {
      who: person.email,
      what: 'company variant set',
      thing: `app ${appName}`,
      origin,
      before: { place: name, company, shows: before?.placementName ?? null },
      after: { place: name, company, shows },
    });
    await announce(app, { kind: 'placement', name });
  });
}

/** Has an earlier choice of a company back; the standard, where what was chosen then is offered no more. */
export async function rollBackCompany(
  app: App,
  person: PersonViewer,
  appName: string,
  name: string,
  { id, expected }: { readonly id: number; readonly expected?: number | undefined },
  origin: string,
): Promise<void> {
  await requireApp(app, person, appName, 'edit');
  await requirePlace(app, appName, name);
  const earlier = (await listChoices(app, [name])).find((one) => one.id === id);
  if (!earlier) throw notFound('choice', String(id), []);
  const { company, placementName } = earlier;
  await chooseForCompany(app, person, appName, name, { company, shows: placementName, expected }, origin);
}
