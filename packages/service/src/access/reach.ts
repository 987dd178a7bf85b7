import {
  clientGrant,
  isAtLeast,
  type Grant,
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
export interface Reaching {
  readonly clientId: string;
  /** The person who handed it out; null where the program asked for it itself. */
  readonly giverId: string | null;
  /** The person for whom the host asks. */
  readonly person?: PersonViewer;
}

/** The right that actions of a token stand for. */
export const levelOf = ({ actions }: { readonly actions: readonly TokenAction[] }): RightLevel =>
  actions.includes('export') ? 'export' : 'view';

async function thingOf(app: App, kind: ThingKind, name: string): Promise<Thing> {
  const folders = (await foldersOf(app, kind)).get(name);
  return { kind, name, ...(folders ? { folders } : {}) };
}

/** Somebody's own limits apply, unless they may edit the dataset and so decide about its limits. */
async function unlessDeciding(app: App, person: PersonViewer | undefined, dataset: string) {
  if (person && isAtLeast(await rightOn(app, person, 'dataset', dataset), 'edit')) return [];
  return [person ?? null];
}

/** What a program holds on a report. @throws {Refusal} `TOKEN_OUT_OF_BOUNDS` for nothing, or less than is asked */
async function requireClientGrant<T extends Grant>(
  app: App,
  grants: readonly T[],
  client: string,
  wish: { readonly report: string; readonly level: RightLevel },
): Promise<T> {
  const held = clientGrant(grants, client, await thingOf(app, 'report', wish.report));
  if (held && isAtLeast(held, wish.level)) return held;
  throw new Refusal('TOKEN_OUT_OF_BOUNDS', `nobody gave the program the right to ${wish.level} \`${wish.report}\``, {
    word: wish.report,
    hint: 'whoever owns the report may give it to the program, as to a person',
  });
}

/**
 * Whose rules and masks apply to what a token reaches, by dataset. Nobody hands out more than they have: a token that a
 * person hands out reaches what that person may see; one that a program asks for itself what its givers may see, or, for a
 * person who may see the report without it, what that person may see.
 *
 * @throws {Refusal} `TOKEN_OUT_OF_BOUNDS` for a program to which nobody gave the report
 */
export async function giversOf(
  app: App,
  { clientId, giverId, person }: Reaching,
  wish: { readonly report: string; readonly level: RightLevel; readonly datasets: readonly string[] },
): Promise<Givers> {
  const each = async (of: (dataset: string) => Promise<readonly (PersonViewer | null)[]>) =>
    Object.fromEntries(await Promise.all(wish.datasets.map(async (name) => [name, await of(name)] as const)));
  if (giverId !== null) {
    const giver = await findPerson(app, { id: giverId });
    return each((dataset) => unlessDeciding(app, giver, dataset));
  }
  if (person && isAtLeast(await rightOn(app, person, 'report', wish.report), wish.level)) return {};
  const grants = await listGrants(app);
  const onReport = await requireClientGrant(app, grants, clientId, wish);
  return each(async (dataset) => {
    const held = clientGrant(grants, clientId, await thingOf(app, 'dataset', dataset));
    if (held)
      return held.boundedBy === undefined
        ? []
        : unlessDeciding(app, await findPerson(app, { id: held.boundedBy }), dataset);
    const { boundedBy } = onReport;
    return boundedBy === undefined ? [null] : unlessDeciding(app, await findPerson(app, { id: boundedBy }), dataset);
  });
}
