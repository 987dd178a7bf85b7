import type { ThingId } from './resources.ts';

/** What happens that others may want to know, each with what is told of it. */
export interface Events {
  'report.published': { readonly name: string; readonly edition: number };
  'board.saved': { readonly name: string; readonly version: number };
  /** `at`: when its rows were loaded, in milliseconds since 1970-01-01T00:00:00Z. */
  'dataset.refreshed': { readonly name: string; readonly at?: number };
  'right.changed': { readonly thing: ThingId };
  'thing.renamed': { readonly thing: ThingId; readonly to: string };
  'thing.gone': { readonly thing: ThingId };
  /** Screens of one group that have not said a word for too long. */
  'screen.silent': { readonly group: string; readonly screens: readonly string[] };
  /** Screens of one group on which figures are older than they are meant to be. */
  'screen.stale': { readonly group: string; readonly screens: readonly string[] };
  /** A screen whose key two devices had; it was ended. */
  'screen.copied': { readonly group: string; readonly screens: readonly string[] };
  /** It stopped by itself, and takes copies again. */
  'destination.ready': { readonly name: string };
  'run.finished': { readonly run: number; readonly burst: string; readonly state: string };
}
export type EventName = keyof Events;
