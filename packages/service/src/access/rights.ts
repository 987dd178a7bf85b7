import {
  decideRight,
  isAtLeast,
  mayPassOn,
  type PersonViewer,
  type Right,
  type RightLevel,
  type ThingKind,
} from '@underbell/core/access';
import { Refusal, suggest } from '@underbell/core/refusal';
import { noteDecision, thingNames, type App, type Decision } from '../platform/index.ts';
import { foldersOf, listGrants } from './grantStore.ts';

/** Decides rights on things of one kind, from a single reading of grants and folders. */
export async function rightsOn(
  app: App,
  kind: ThingKind,
): Promise<(person: PersonViewer, name: string) => Right | undefined> {
  const [grants, folders] = await Promise.all([listGrants(app), foldersOf(app, kind)]);
  return (person, name) => {
    const path = folders.get(name);
    return decideRight(grants, person, { kind, name, ...(path === undefined ? {} : { folders: path }) });
  };
}

/** What a person may do with each of some things, of whatever kinds: every kind is read once. */
export function rightsFor(
  app: App,
  person: PersonViewer,
): (thing: { readonly kind: ThingKind; readonly name: string }) => Promise<Right | undefined> {
  const kinds = new Map<ThingKind, ReturnType<typeof rightsOn>>();
  return async ({ kind, name }) => {
    const deciding = kinds.get(kind) ?? rightsOn(app, kind);
    kinds.set(kind, deciding);
    return (await deciding)(person, name);
  };
}

/** What a person may do with a thing, or nothing. */
export async function rightOn(
  app: App,
  person: PersonViewer,
  kind: ThingKind,
  name: string,
): Promise<Right | undefined> {
  return (await rightsOn(app, kind))(person, name);
}

/** The names of a kind that a person may see: the only ones that a mistake is compared with. */
export async function namesSeen(app: App, person: PersonViewer, kind: ThingKind): Promise<string[]> {
  return visibleNames(app, person, kind, await thingNames(app, kind));
}

/**
 * Stops whoever lacks a right. A thing that may not even be seen answers as if it did not exist.
 *
 * @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`
 */
export async function requireRight(
  app: App,
  person: PersonViewer,
  level: RightLevel,
  kind: ThingKind,
  name: string,
): Promise<Right> {
  const right = await rightOn(app, person, kind, name);
  if (right !== undefined && isAtLeast(right, level)) {
    noteDecision({ what: 'right', level, kind, name });
    return right;
  }
  if (right === undefined) throw notFound(kind, name, await namesSeen(app, person, kind));
  throw new Refusal('NOT_ALLOWED', `You have “${right.level}” on ${kind} “${name}”, but not “${level}”.`, {
    hint: `Ask an owner for “${level}”.`,
  });
}

/** @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` for somebody who may not give this level on */
export async function requirePassOn(
  app: App,
  person: PersonViewer,
  level: RightLevel,
  kind: ThingKind,
  name: string,
): Promise<void> {
  const right = await rightOn(app, person, kind, name);
  if (mayPassOn(right, level)) return;
  if (right === undefined) throw notFound(kind, name, []);
  throw new Refusal('NOT_ALLOWED', `You cannot grant “${level}” on ${kind} “${name}”.`, {
    hint: 'Owners can, and users whose permission includes “can share”.',
  });
}

/** @throws {Refusal} `NOT_ALLOWED`: making new things of a kind needs the right to edit every one of it */
export async function requireAuthor(app: App, person: PersonViewer, kind: ThingKind): Promise<void> {
  if (isAtLeast(await rightOn(app, person, kind, '*'), 'edit')) return noteDecision({ what: 'maker', kind });
  throw new Refusal('NOT_ALLOWED', `You do not have permission to create a ${kind}.`, {
    hint: 'Publishers and administrators can.',
  });
}

export function requireAdministrator(person: PersonViewer): void {
  if (!person.isAdministrator) throw new Refusal('NOT_ALLOWED', 'Only administrators can do this.');
  noteDecision({ what: 'administrator' });
}

/** Decides anew what was decided of a person before. @throws {Refusal} what each of them throws */
export async function requireStill(app: App, person: PersonViewer, decisions: readonly Decision[]): Promise<void> {
  for (const one of decisions) {
    if (one.what === 'administrator') requireAdministrator(person);
    else if (one.what === 'maker') await requireAuthor(app, person, one.kind);
    else await requireRight(app, person, one.level, one.kind, one.name);
  }
}

/** Whether a person makes things for others, and so needs to know who there is: edits anything at all. */
export async function isAuthor(app: App, person: PersonViewer): Promise<boolean> {
  if (person.isAdministrator) return true;
  const grants = await listGrants(app);
  return grants.some((grant) => isAtLeast(decideRight([grant], person, grant.thing), 'edit'));
}

/** Those of some names that a person may see, for lists and suggestions. */
export async function visibleNames(
  app: App,
  person: PersonViewer,
  kind: ThingKind,
  names: readonly string[],
): Promise<string[]> {
  const decide = await rightsOn(app, kind);
  return names.filter((name) => decide(person, name) !== undefined);
}

/** Those of some names that a person owns. */
export async function ownedNames(
  app: App,
  person: PersonViewer,
  kind: ThingKind,
  names: readonly string[],
): Promise<string[]> {
  const decide = await rightsOn(app, kind);
  return names.filter((name) => isAtLeast(decide(person, name), 'own'));
}

/** @param now - what it is called now, where the asker may know */
export function notFound(kind: string, name: string, known: readonly string[], now?: string): Refusal {
  const label = kind.replaceAll('-', ' ');
  if (now !== undefined)
    return new Refusal('NOT_FOUND', `The ${label} “${name}” was renamed to “${now}”.`, { word: name, nearest: [now] });
  return new Refusal('NOT_FOUND', `There is no ${label} “${name}”.`, {
    word: name,
    ...(known.length > 0 ? suggest(name, known) : {}),
  });
}
