import { one, recall, rows, type App } from '../platform/index.ts';
import {
  appChoices,
  appOffers,
  appPages,
  appPlaces,
  apps,
  type AppChoiceRow,
  type AppPlaceRow,
  type AppRow,
} from './models.ts';

export const findApp = (app: App, name: string): Promise<AppRow | undefined> => one(apps(app).findByPk(name));
export const listApps = (app: App): Promise<AppRow[]> => rows(apps(app), { order: ['name'] });
export async function putApp(app: App, row: AppRow): Promise<void> {
  await apps(app).upsert(row);
}

/** The app that a program asks for. */
export const appOfClient = (app: App, clientId: string): Promise<AppRow | undefined> =>
  recall(`app of client ${clientId}`, () => one(apps(app).findOne({ where: { clientId } })));

/** The app that a placement stands in, with its place there. */
export const placeIn = (
  app: App,
  placementName: string,
): Promise<{ readonly row: AppRow; readonly place: AppPlaceRow } | undefined> =>
  recall(`app of placement ${placementName}`, async () => {
    const place = await one(appPlaces(app).findByPk(placementName));
    const row = place && (await findApp(app, place.appName));
    return place && row ? { row, place } : undefined;
  });

export const listPlaces = (app: App, appName: string): Promise<AppPlaceRow[]> =>
  rows(appPlaces(app), { where: { appName }, order: ['placementName'] });

/** By place: what may stand there instead, in its order. */
export async function listOffers(app: App, places: readonly string[]): Promise<Map<string, string[]>> {
  const all = await rows(appOffers(app), { where: { placeName: [...places] }, order: ['position'] });
  const found = new Map<string, string[]>();
  for (const { placeName, placementName } of all)
    found.set(placeName, [...(found.get(placeName) ?? []), placementName]);
  return found;
}

/** What may stand in one place instead. */
export const offersOf = (app: App, place: string): Promise<readonly string[]> =>
  recall(`offers in ${place}`, async () => (await listOffers(app, [place])).get(place) ?? []);

/** Newest first. */
export const listChoices = (app: App, places: readonly string[]): Promise<AppChoiceRow[]> =>
  rows(appChoices(app), { where: { placeName: [...places] }, order: [['id', 'DESC']] });

/** What a company chose last for a place. */
export const choiceOf = (app: App, placeName: string, company: string): Promise<AppChoiceRow | undefined> =>
  recall(`choice ${JSON.stringify([placeName, company])}`, () =>
    one(appChoices(app).findOne({ where: { placeName, company }, order: [['id', 'DESC']] })),
  );

/** The boards that are pages of an app. */
export async function pagesOf(app: App, appName: string): Promise<string[]> {
  return (await rows(appPages(app), { where: { appName } })).map((one) => one.boardName);
}
