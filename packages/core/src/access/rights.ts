import type { ThingKind } from './resources/index.ts';
import type { PersonViewer } from './viewer.ts';

/** What a grant lets its holder do; each level holds the ones before it. */
export type RightLevel = 'view' | 'export' | 'edit' | 'own';
export const rightLevels: readonly RightLevel[] = ['view', 'export', 'edit', 'own'];

/** A thing, and the folders that it lies in, from the nearest outwards. */
export interface Thing {
  readonly kind: ThingKind;
  readonly name: string;
  readonly folders?: readonly string[];
}

/** What holds a right by its name: persons by address, groups, programs by their client's name, screens and groups of screens. */
export const namedHolders = ['person', 'group', 'client', 'screen', 'screen-group'] as const;
export type GrantHolder =
  { readonly kind: (typeof namedHolders)[number]; readonly name: string } | { readonly kind: 'everyone' };

export interface Grant {
  readonly holder: GrantHolder;
  readonly thing: { readonly kind: ThingKind; readonly name: string };
  readonly level: RightLevel;
  /** Whether its holder may give it, or less, to others. */
  readonly canPassOn?: boolean;
}

/** A right and where it comes from. */
export interface Right {
  readonly level: RightLevel;
  readonly because: string;
  /** The highest level that may be given on; undefined for none. Owners may give everything. */
  readonly passesOn?: RightLevel;
}

function holds(grant: Grant, person: PersonViewer): boolean {
  const { holder } = grant;
  if (holder.kind === 'person') return holder.name === person.email;
  if (holder.kind === 'group') return person.groups.includes(holder.name);
  if (holder.kind !== 'everyone') return false;
  // Guests of other organisations are not everyone; they hold what is given to them by name or group.
  return person.isGuest !== true;
}

function covers(grant: Grant, thing: Thing): boolean {
  const on = grant.thing;
  const inside = thing.kind === 'folder' ? [thing.name, ...(thing.folders ?? [])] : (thing.folders ?? []);
  if (on.kind === 'folder' && inside.length > 0) return on.name === '*' || inside.includes(on.name);
  return on.kind === thing.kind && (on.name === '*' || on.name === thing.name);
}

/** The most that somebody of another organisation may do. */
export const guestLevel: RightLevel = 'export';

const rank = (level: RightLevel | undefined) => (level === undefined ? -1 : rightLevels.indexOf(level));

function reason({ holder, thing: on }: Grant): string {
  const who =
    holder.kind === 'group'
      ? `member of ${holder.name}`
      : holder.kind === 'everyone'
        ? 'given to everyone'
        : 'given by name';
  return `${who}, ${on.name === '*' ? `every ${on.kind}` : `${on.kind} ${on.name}`}`;
}

/**
 * The highest right of a person on a thing, explained: "may view: member of Quay managers, folder Operations".
 *
 * @returns undefined when there is none
 */
export function decideRight(grants: readonly Grant[], person: PersonViewer, thing: Thing): Right | undefined {
  if (person.isAdministrator) return { level: 'own', because: 'may own: administrator', passesOn: 'own' };
  const fitting = grants.filter((grant) => covers(grant, thing) && holds(grant, person));
  const [best] = fitting.toSorted((a, b) => rank(b.level) - rank(a.level));
  if (best === undefined) return undefined;
  // Guests look and take away, whatever a group that they are in may do; they pass nothing on.
  if (person.isGuest === true) {
    const level = rank(best.level) > rank(guestLevel) ? guestLevel : best.level;
    return { level, because: `may ${level}: ${reason(best)}` };
  }
  const [passing] = fitting
    .filter((grant) => grant.canPassOn === true || grant.level === 'own')
    .toSorted((a, b) => rank(b.level) - rank(a.level));
  return {
    level: best.level,
    because: `may ${best.level}: ${reason(best)}`,
    ...(passing ? { passesOn: passing.level } : {}),
  };
}

/** The highest grant on a thing of something that is nobody: a program, a screen with its group; undefined when there is none. */
export function permissionOf<T extends Grant>(
  grants: readonly T[],
  holders: readonly GrantHolder[],
  thing: Thing,
): T | undefined {
  const own = grants.filter(({ holder, ...grant }) => {
    const isOwn = holders.some(
      (one) => one.kind === holder.kind && one.kind !== 'everyone' && one.name === (holder as { name?: string }).name,
    );
    return isOwn && covers({ holder, ...grant }, thing);
  });
  return own.toSorted((a, b) => rank(b.level) - rank(a.level))[0];
}

export function isAtLeast(right: Pick<Right, 'level'> | undefined, level: RightLevel): boolean {
  return right !== undefined && rank(right.level) >= rank(level);
}

/** Whether somebody with this right may give a level to others. */
export function mayPassOn(right: Right | undefined, level: RightLevel): boolean {
  return rank(right?.passesOn) >= rank(level);
}
