import type { PersonViewer } from './viewer.ts';

/** What a grant lets its holder do; each level holds the ones before it. */
export type RightLevel = 'view' | 'export' | 'edit' | 'own';
export const rightLevels: readonly RightLevel[] = ['view', 'export', 'edit', 'own'];

/** What grants are given on; `*` as a name means every thing of the kind. */
export type ThingKind = 'report' | 'dataset' | 'source' | 'placement' | 'list' | 'burst' | 'client';
export const thingKinds: readonly ThingKind[] = ['report', 'dataset', 'source', 'placement', 'list', 'burst', 'client'];

export interface Grant {
  readonly holder: { readonly kind: 'person' | 'group'; readonly name: string } | { readonly kind: 'everyone' };
  readonly thing: { readonly kind: ThingKind; readonly name: string };
  readonly level: RightLevel;
}

/** A right and where it comes from. */
export interface Right {
  readonly level: RightLevel;
  readonly because: string;
}

function holds(grant: Grant, person: PersonViewer): boolean {
  const { holder } = grant;
  if (holder.kind === 'everyone') return true;
  return holder.kind === 'person' ? holder.name === person.email : person.groups.includes(holder.name);
}

function because(grant: Grant): string {
  const what = grant.thing.name === '*' ? `every ${grant.thing.kind}` : `${grant.thing.kind} ${grant.thing.name}`;
  if (grant.holder.kind === 'everyone') return `everyone may ${grant.level} ${what}`;
  const who = grant.holder.kind === 'group' ? `members of ${grant.holder.name}` : grant.holder.name;
  return `${who} may ${grant.level} ${what}`;
}

/** The highest right of a person on a thing, explained; undefined when there is none. */
export function decideRight(
  grants: readonly Grant[],
  person: PersonViewer,
  thing: { readonly kind: ThingKind; readonly name: string },
): Right | undefined {
  if (person.isAdministrator) return { level: 'own', because: `${person.name} is an administrator` };
  const fitting = grants.filter(
    (grant) =>
      grant.thing.kind === thing.kind &&
      (grant.thing.name === '*' || grant.thing.name === thing.name) &&
      holds(grant, person),
  );
  const best = fitting.sort((a, b) => rightLevels.indexOf(b.level) - rightLevels.indexOf(a.level))[0];
  return best && { level: best.level, because: because(best) };
}

export function isAtLeast(right: Right | undefined, level: RightLevel): boolean {
  return right !== undefined && rightLevels.indexOf(right.level) >= rightLevels.indexOf(level);
}
