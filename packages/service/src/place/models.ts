import { placeKinds } from '@underbell/core/access';
import {
  defineModel,
  filled,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  text,
  type RowOf,
} from '../platform/records/index.ts';

/** One delivery of a report or page into one place. */
export const placements = defineModel('placements', {
  name: key(text()),
  kind: oneOf(...placeKinds),
  title: text(),
  reportName: refersTo(text(), 'reports', 'report'),
  page: nullable(text()),
  /** CQL2 text by dataset. */
  conditions: filled(json<Readonly<Record<string, string>>>()),
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
