import {
  permissionOf,
  isAtLeast,
  mayPassOn,
  type Grant,
  type GrantHolder,
  type PersonViewer,
  type RightLevel,
  type Thing,
  type ThingKind,
  type TokenAction,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import type { App } from '../platform/index.ts';
import { foldersOf, listGrants } from './grantStore.ts';
import { rightOn } from './rights.ts';
import { findPerson } from './store.ts';

type Givers = Readonly<Record<string, readonly (PersonViewer | null)[]>>;

/** Through whom a token reaches a report. */
export interface DelegationRequest {
  readonly clientId: string;
  /** The person who handed it out; null where the program asked for it itself. */
  readonly giverId: string | null;
  /** The person for whom the host asks. */
  readonly person?: PersonViewer;
}

/** The right that actions of a token stand for. */
export const levelOf = ({ actions }: { readonly actions: readonly TokenAction[] }): RightLevel =>
  actions.includes('export') ? 'export' : 'view';

async function resourceIdOf(app: App, kind: ThingKind, name: string): Promise<Thing> {
  const folders = (await foldersOf(app, kind)).get(name);
  return { kind, name, ...(folders ? { folders } : {}) };
}

/** Somebody's own limits apply, unless they may edit the dataset and so decide about its limits. */
async function unlessDeciding(app: App, person: PersonViewer | undefined, dataset: string) {
  if (person && isAtLeast(await rightOn(app, person, 'dataset', dataset), 'edit')) return [];
  return [person ?? null];
}

/** What a program or screen holds on a report. @throws {Refusal} `TOKEN_SCOPE_EXCEEDED` for nothing, or less than is asked */
async function requireHeld<T extends Grant>(
  app: App,
  grants: readonly T[],
  { holders, what }: Holding,
  wish: { readonly report: string; readonly level: RightLevel },
): Promise<T> {
  const held = permissionOf(grants, holders, await resourceIdOf(app, 'report', wish.report));
  if (held && isAtLeast(held, wish.level)) return held;
  throw new Refusal(
    'TOKEN_SCOPE_EXCEEDED',
    `The ${what} has no “${wish.level}” permission on report “${wish.report}”.`,
    {
      word: wish.report,
      hint: `An owner of the report can grant it.`,
    },
  );
}

/** What holds rights and is nobody. */
interface Holding {
  readonly holders: readonly GrantHolder[];
  readonly what: 'program' | 'screen';
}

interface Wish {
  readonly report: string;
  readonly level: RightLevel;
  readonly datasets: readonly string[];
}

const eachOf = async (
  datasets: readonly string[],
  of: (dataset: string) => Promise<readonly (PersonViewer | null)[]>,
): Promise<Givers> =>
  Object.fromEntries(await Promise.all(datasets.map(async (name) => [name, await of(name)] as const)));

/** Those who gave a program or screen what it reaches. */
async function giversBehind(app: App, holding: Holding, wish: Wish): Promise<Givers> {
  const grants = await listGrants(app);
  const { boundedBy } = await requireHeld(app, grants, holding, wish);
  return eachOf(wish.datasets, async (dataset) => {
    const held = permissionOf(grants, holding.holders, await resourceIdOf(app, 'dataset', dataset));
    const bound = held ? held.boundedBy : (boundedBy ?? null);
    // Whoever may edit the data decided about its limits when they gave it; what nobody is known to have given shows nothing.
    if (bound === undefined) return [];
    return bound === null ? [null] : unlessDeciding(app, await findPerson(app, { id: bound }), dataset);
  });
}

/**
 * Whose rules and masks apply to what a screen shows: those of whoever gave it, or its group, the report.
 *
 * @throws {Refusal} `TOKEN_SCOPE_EXCEEDED` for a report that nobody gave it
 */
export async function grantorsOfScreen(
  app: App,
  screen: { readonly name: string; readonly group: string; readonly planned?: PersonViewer },
  wish: { readonly report: string; readonly datasets: readonly string[] },
): Promise<Givers> {
  const { planned } = screen;
  const holders = holdersOf(screen);
  if (planned) {
    const held = permissionOf(await listGrants(app), holders, await resourceIdOf(app, 'report', wish.report));
    if (!held && mayPassOn(await rightOn(app, planned, 'report', wish.report), 'view'))
      return eachOf(wish.datasets, (dataset) => unlessDeciding(app, planned, dataset));
  }
  return giversBehind(app, { holders, what: 'screen' }, { ...wish, level: 'view' });
}

const holdersOf = ({ name, group }: { readonly name: string; readonly group: string }): readonly GrantHolder[] => [
  { kind: 'screen', name },
  { kind: 'screen-group', name: group },
];

/**
 * Whose rules and masks apply to what a token reaches, by dataset. Nobody hands out more than they have: a token that a
 * person hands out reaches what that person may see; one that a program asks for itself what its givers may see, or, for a
 * person who may see the report without it, what that person may see.
 *
 * @throws {Refusal} `TOKEN_SCOPE_EXCEEDED` for a program to which nobody gave the report
 */
export async function giversOf(
  app: App,
  { clientId, giverId, person }: DelegationRequest,
  wish: Wish,
): Promise<Givers> {
  if (giverId !== null) {
    const giver = await findPerson(app, { id: giverId });
    return eachOf(wish.datasets, (dataset) => unlessDeciding(app, giver, dataset));
  }
  if (person && isAtLeast(await rightOn(app, person, 'report', wish.report), wish.level)) return {};
  return giversBehind(app, { holders: [{ kind: 'client', name: clientId }], what: 'program' }, wish);
}
