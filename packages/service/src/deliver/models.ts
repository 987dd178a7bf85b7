import { destinationKinds, type Cut, type DeliveryState, type PlannedFile, type Rate } from '@underbell/core/burst';
import type { Value } from '@underbell/core/dataset';
import type { DestinationState } from '@underbell/core/deliver';
import {
  bigint,
  boolean,
  defineModel,
  filled,
  instant,
  integer,
  json,
  key,
  nullable,
  oneOf,
  refersTo,
  serial,
  text,
  type RowOf,
} from '../platform/records/index.ts';

export const destinations = defineModel('destinations', {
  name: key(text()),
  kind: oneOf(...destinationKinds),
  /** For people: without credentials. */
  address: text(),
  /** Address and credentials, encrypted. */
  sealed: nullable(text()),
  rates: filled(json<Rate[]>()),
  parallel: filled(integer()),
  state: filled(oneOf<DestinationState>('ready', 'failing', 'paused')),
  reason: nullable(text()),
  stateAt: nullable(instant()),
  /** In a row. */
  failures: filled(integer()),
  testedAt: nullable(instant()),
  testError: nullable(text()),
});
export type DestinationRow = RowOf<typeof destinations>;

/** When copies were handed to a destination, for its rates. */
export const destinationTurns = defineModel('destination_turns', {
  destinationName: refersTo(text(), 'destinations', 'destination'),
  at: instant(),
});

/** A file of a copy as it was made. */
export interface MadeFile extends PlannedFile {
  readonly sizeBytes?: number;
  readonly sha256?: string;
}

/** The ledger: what became of each recipient's copy. */
export const deliveries = defineModel('deliveries', {
  id: serial(),
  runId: refersTo(integer(), 'runs', 'run'),
  burstName: refersTo(text(), 'bursts', 'burst'),
  occurrence: text(),
  recipient: text(),
  address: text(),
  repeat: filled(integer()),
  /** What the copy holds, in runs from before cuts had more than one value. */
  value: nullable(json<Value>()),
  cut: nullable(json<Cut>()),
  /** The limits of this one copy, in words. */
  filter: nullable(text()),
  rowCount: filled(bigint()),
  files: filled(json<MadeFile[]>()),
  state: oneOf<DeliveryState>('planned', 'skipped', 'rendered', 'sending', 'sent', 'failed', 'in doubt'),
  reason: nullable(text()),
  messageId: nullable(text()),
  changedAt: instant(),
  isTest: filled(boolean()),
  /** How often the destination was asked to take it. */
  attempts: filled(integer()),
  /** When it is offered again; nothing where its host has not asked for that. */
  nextTryAt: nullable(instant()),
  /** Name of the destination that it goes to. */
  destination: filled(text()),
  /** Where its files lie, at a destination that has places for them. */
  places: nullable(json<string[]>()),
  /** When and why the letter came back after its mail host had taken it. */
  bouncedAt: nullable(instant()),
  bounce: nullable(text()),
});
export type DeliveryRow = RowOf<typeof deliveries>;

/** Links to the files of copies. */
export const copyLinks = defineModel('copy_links', {
  deliveryId: key(refersTo(integer(), 'deliveries', 'delivery')),
  position: key(integer()),
  runId: refersTo(integer(), 'runs', 'run'),
  needsSignIn: boolean(),
  expiresAt: instant(),
  recalledAt: nullable(instant()),
  fetched: filled(integer()),
  fetchedAt: nullable(instant()),
});
export type CopyLinkRow = RowOf<typeof copyLinks>;
