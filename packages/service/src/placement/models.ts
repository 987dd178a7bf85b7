import { placeKinds } from '@underbell/core/access';
import type { ColumnSwaps, PlacementLook } from '@underbell/core/placement';
import {
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  text,
  uuid,
  type RowOf,
} from '../platform/records/index.ts';

/** One delivery of a report or page into one place. */
export const placements = defineModel('placements', {
  name: key(text()),
  kind: oneOf(...placeKinds),
  title: text(),
  /** It shows a report or a board, never both. */
  reportName: nullable(refersTo(text(), 'reports', 'report')),
  boardName: nullable(refersTo(text(), 'boards', 'board')),
  /** This page alone. */
  page: nullable(text()),
  /** This figure of the page alone. */
  figure: nullable(text()),
  /** Of a whole report: the page that it begins with. */
  firstPage: nullable(text()),
  look: filled(json<PlacementLook>()),
  /** Nobody sees it since then. */
  suspendedAt: nullable(instant()),
  /** Who made it; null where that is not known. */
  makerId: nullable(text()),
  madeAt: nullable(instant()),
  /** CQL2 text by dataset. */
  conditions: filled(json<Readonly<Record<string, string>>>()),
  /** Columns that are shown as others. */
  swaps: filled(json<ColumnSwaps>()),
  /** Raw values of report parameters that this place fixes. */
  parameters: filled(json<Readonly<Record<string, string>>>()),
  /** Origins whose pages may frame it. */
  origins: filled(json<readonly string[]>()),
  /** Stays with this edition; follows the current one when null. */
  editionNumber: nullable(integer()),
  /** Who saved it last; null where that is not known. */
  writerId: nullable(text()),
});
export type Placement = Readonly<RowOf<typeof placements>>;

/** Links by which everybody who knows them sees a placement. */
export const publicLinks = defineModel('public_links', {
  id: key(uuid()),
  placementName: refersTo(text(), 'placements', 'placement'),
  /** Of its key. */
  fingerprint: text(),
  sealedKey: text(),
  /** Why it was made. */
  note: text(),
  until: instant(),
  makerId: text(),
  madeAt: instant(),
  endedAt: nullable(instant()),
  /** By address. */
  endedBy: nullable(text()),
  views: filled(integer()),
  lastViewedAt: nullable(instant()),
});
export type PublicLinkRow = Readonly<RowOf<typeof publicLinks>>;

/** Pages of hosts that showed a placement. */
export const placementHosts = defineModel('placement_hosts', {
  placementName: key(refersTo(text(), 'placements', 'placement')),
  origin: key(text()),
  seenAt: instant(),
});

/** What kept visitors from seeing a placement, by the hour. */
export const placementProblems = defineModel('placement_problems', {
  placementName: key(refersTo(text(), 'placements', 'placement')),
  code: key(text()),
  hour: key(instant()),
  count: integer(),
});
