import type { AppChart, CompanyFrom } from '@underbell/core/app';
import {
  bigserial,
  boolean,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  refersTo,
  text,
  type RowOf,
} from '../platform/records/index.ts';

/** Business apps that show reports. */
export const apps = defineModel('apps', {
  name: key(text()),
  title: text(),
  /** Of its pages. */
  origins: filled(json<readonly string[]>()),
  clientId: nullable(refersTo(text(), 'clients', 'client')),
  company: nullable(json<CompanyFrom>()),
  charts: filled(json<readonly AppChart[]>()),
  isOn: filled(boolean()),
  /** By address. */
  switchedBy: nullable(text()),
  switchedAt: nullable(instant()),
  makerId: text(),
  madeAt: instant(),
});
export type AppRow = Readonly<RowOf<typeof apps>>;

/** Placements that stand in an app. */
export const appPlaces = defineModel('app_places', {
  placementName: key(refersTo(text(), 'placements', 'placement')),
  appName: refersTo(text(), 'apps', 'app'),
  inPanel: filled(boolean()),
});
export type AppPlaceRow = Readonly<RowOf<typeof appPlaces>>;

/** What companies may have in a place instead. */
export const appOffers = defineModel('app_offers', {
  placeName: key(refersTo(text(), 'app_places', 'place')),
  placementName: key(refersTo(text(), 'app_places', 'offered')),
  position: integer(),
});

/** What companies chose, each as it was chosen; the last one counts. */
export const appChoices = defineModel('app_choices', {
  id: bigserial(),
  placeName: refersTo(text(), 'app_places', 'place'),
  company: text(),
  /** The standard where there is none. */
  placementName: nullable(refersTo(text(), 'placements', 'placement')),
  /** By address. */
  chosenBy: text(),
  chosenAt: instant(),
});
export type AppChoiceRow = Readonly<RowOf<typeof appChoices>>;

/** People's own side panels. */
export const appPanels = defineModel('app_panels', {
  appName: key(refersTo(text(), 'apps', 'app')),
  personId: key(text()),
  /** Placements in the person's own order; null until they choose. */
  chosen: nullable(json<readonly string[]>()),
  shown: nullable(text()),
});

/** Boards that are mixed pages of an app. */
export const appPages = defineModel('app_pages', {
  boardName: key(refersTo(text(), 'boards', 'board')),
  appName: refersTo(text(), 'apps', 'app'),
});

export const appModels = [apps, appPlaces, appOffers, appChoices, appPanels, appPages];
