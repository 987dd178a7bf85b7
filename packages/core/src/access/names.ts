import type { ThingKind } from './resources/index.ts';

/** A thing that is given another name. */
export interface Renaming {
  readonly kind: ThingKind | 'group' | 'attribute';
  readonly name: string;
}

/** A name as it is after a thing of a kind was renamed. */
export const nameAfter = (name: string, kind: ThingKind, thing: Renaming, to: string): string =>
  thing.kind === kind && thing.name === name ? to : name;

/** Entries by the name of a thing, after one was renamed; their order stays. */
export function keysAfter<T>(
  entries: Readonly<Record<string, T>>,
  kind: ThingKind,
  thing: Renaming,
  to: string,
): Record<string, T> {
  return Object.fromEntries(Object.entries(entries).map(([name, value]) => [nameAfter(name, kind, thing, to), value]));
}
