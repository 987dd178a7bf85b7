import type Router from '@koa/router';
import type { NamedKind, PersonViewer, ThingKind } from '@underbell/core/access';
import type { DoorKind, ActiveAccess } from '@underbell/core/activeAccess';
import type { DatasetShape } from '@underbell/core/dataset';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import type { App } from './app.ts';
import type { EventName } from './eventNames.ts';
import { eventJob } from './events.ts';
import type { Route } from './http/route.ts';
import type { Handlers, JobHandler } from './queue.ts';
import type { AnyModel } from './records/index.ts';
import type {
  Admission,
  ColumnsChange,
  Impact,
  KeyAsked,
  Named,
  NamedTable,
  PlaceVisitor,
  CompanyVariantResolver,
  ThingId,
  Things,
  ThingTable,
  ThingTexts,
  ThingUse,
} from './resources.ts';

/** Work that is done again and again, never twice at once in one process. */
export interface ClockWork {
  readonly everyMs: number;
  readonly work: (app: App) => Promise<void>;
}

/** What a check complains about under new columns, if it did not under the old ones. */
export function lostBy({ before, after }: ColumnsChange, user: string, check: (shape: DatasetShape) => void): Impact[] {
  const complaints = (shape: DatasetShape): string[] => {
    try {
      check(shape);
      return [];
    } catch (error) {
      if (!isRefusal(error)) throw error;
      return error.details.problems?.map((one) => `${one.at}: ${one.message}`) ?? [error.message];
    }
  };
  const known = new Set(complaints(before));
  return complaints(after)
    .filter((one) => !known.has(one))
    .map((what) => ({ user, what }));
}

/** How a kind of things is kept, found and taken away. */
export interface ThingKindSpec extends ThingTable {
  readonly texts?: (app: App) => Promise<readonly ThingTexts[]>;
  readonly dataTables?: (app: App, name: string) => Promise<readonly string[]>;
  readonly decidedWith?: (app: App, name: string) => Promise<ThingId | undefined>;
}

/** What a capability keeps of other things: names in definitions, in rows, in what is on its way. */
export interface References {
  /** Everything that its things use of others, as it stands now. */
  readonly uses?: (app: App) => Promise<readonly ThingUse[]>;
  /** What changed columns of a dataset would break in it, each checked as it was when it was saved. */
  readonly losses?: (app: App, change: ColumnsChange) => Promise<readonly Impact[]>;
  /** Work on a thing that is under way, in words; until it is done the thing keeps its name. */
  readonly work?: (app: App, thing: ThingId) => Promise<readonly string[]>;
  /** Follows a thing to its new name, in the transaction that gives it. */
  readonly follow?: (app: App, thing: Named, to: string) => Promise<void>;
  /** Forgets a thing that is gone for good, in the transaction that removes it. */
  readonly forget?: (app: App, thing: ThingId) => Promise<void>;
}

/** What a capability hands out to somebody, of one kind. */
export interface AccessProvider {
  readonly kind: DoorKind;
  /** Those that a person may know of: the owner's own, all of them for an administrator. */
  readonly list: (app: App, person: PersonViewer) => Promise<readonly Omit<ActiveAccess<Date>, 'kind'>[]>;
  /** Ends one, with the rights of whoever ends it; nothing for what is not ended here. */
  readonly end?: (app: App, person: PersonViewer, id: string, origin: string) => Promise<unknown>;
}

/** What a capability brings; they are listed once, in the order in which they may use each other. */
export interface Capability {
  readonly name: string;
  /** The tables that it has. */
  readonly models?: readonly AnyModel[];
  readonly routes?: readonly Route[];
  /** What is no route of ours: protocols with paths of their own. */
  readonly mount?: (app: App, router: Router) => void;
  readonly things?: readonly ThingKindSpec[];
  /** What has a name and is no thing that rights are given on. */
  readonly named?: readonly NamedTable[];
  readonly references?: References;
  readonly doors?: readonly AccessProvider[];
  /** The origins whose pages may frame something of it: a set for each thing that names some. */
  readonly framers?: (app: App) => Promise<readonly (readonly string[])[]>;
  /** By whom somebody who has no right on what a placement shows is let in to it all the same. */
  readonly admits?: (app: App, person: PersonViewer, placement: string) => Promise<Admission | undefined>;
  /** What stands in a placement for whoever looks at it; nothing where this capability has no say. */
  readonly companyVariantOf?: (
    app: App,
    placement: string,
    who: PlaceVisitor,
  ) => Promise<CompanyVariantResolver | undefined>;
  /** Stops a program that may not ask at the moment. @throws {Refusal} */
  readonly requireEnabledApp?: (app: App, clientId: string) => Promise<void>;
  /** Who an ID token of another program is of, by what the common directory says. @throws {Refusal} `TOKEN_INVALID` */
  readonly personBehind?: (app: App, idToken: string, audience: string) => Promise<PersonViewer>;
  /** Kinds of grants (RFC 6749, section 4.5) for which it gives keys of its own, by their names. */
  readonly tokenGrants?: Readonly<Record<string, (app: App, asked: KeyAsked) => Promise<object>>>;
  /** Background work by kind of job; each group has a line of its own, so that it waits behind no other. */
  readonly jobs?: readonly Handlers[];
  readonly clock?: readonly ClockWork[];
  /** What it does when something happened; each is a job of its own, done at least once. */
  readonly hears?: { readonly [Name in EventName]?: JobHandler };
}

/** What is asked of all capabilities at once, of an installation. */
export function thingsOf(capabilities: readonly Capability[], app: () => App): Things {
  const specs = new Map<ThingKind, ThingKindSpec>(
    capabilities.flatMap((one) => one.things ?? []).map((one) => [one.kind, one]),
  );
  const table = (kind: ThingKind): ThingKindSpec => {
    const spec = specs.get(kind);
    if (spec) return spec;
    throw new Error(`no capability declares the kind ${kind}`);
  };
  const named = new Map<NamedKind, NamedTable>([
    ...specs,
    ...capabilities.flatMap((one) => one.named ?? []).map((one) => [one.kind, one] as const),
  ]);
  const references = capabilities.flatMap((one) => one.references ?? []);
  const keepers = capabilities.flatMap((one) => one.doors ?? []);
  const all = async <T>(ask: (one: References) => Promise<readonly T[]> | undefined): Promise<T[]> =>
    (await Promise.all(references.map(async (one) => (await ask(one)) ?? []))).flat();
  return {
    table,
    namedTable(kind) {
      const spec = named.get(kind);
      if (spec) return spec;
      throw new Error(`no capability declares the kind ${kind}`);
    },
    async doors(person) {
      const failed: DoorKind[] = [];
      const found = await Promise.all(
        keepers.map(async ({ kind, list }) => {
          try {
            return (await list(app(), person)).map((one) => ({ kind, ...one }));
          } catch (error) {
            // What one kind cannot tell hides nothing of the others.
            app().log.error({ err: error, kind }, 'a kind of access could not be listed');
            failed.push(kind);
            return [];
          }
        }),
      );
      return { doors: found.flat(), failed: failed.sort() };
    },
    endedKinds: keepers.filter((one) => one.end !== undefined).map((one) => one.kind),
    endDoor: async ({ kind, id }, person, origin) =>
      void (await keepers.find((one) => one.kind === kind)?.end?.(app(), person, id, origin)),
    async admits(person, placement) {
      for (const { admits } of capabilities) {
        const admission = await admits?.(app(), person, placement);
        if (admission) return admission;
      }
      return undefined;
    },
    async companyVariantOf(placement, who) {
      for (const { companyVariantOf } of capabilities) {
        const found = await companyVariantOf?.(app(), placement, who);
        if (found) return found;
      }
      return { shows: placement };
    },
    async requireEnabledApp(clientId) {
      for (const one of capabilities) await one.requireEnabledApp?.(app(), clientId);
    },
    tokenGrant(type) {
      const grants = capabilities.flatMap((one) => Object.entries(one.tokenGrants ?? {}));
      const give = grants.find(([name]) => name === type)?.[1];
      return give && ((asked) => give(app(), asked));
    },
    personBehind(idToken, audience) {
      const asked = capabilities.find((one) => one.personBehind !== undefined);
      if (asked) return asked.personBehind!(app(), idToken, audience);
      throw new Refusal('GRANT_UNSUPPORTED', 'There is no identity provider.');
    },
    texts: async (kind) => (await table(kind).texts?.(app())) ?? [],
    dataTables: async ({ kind, name }) => (await table(kind).dataTables?.(app(), name)) ?? [],
    decidedWith: async ({ kind, name }) => table(kind).decidedWith?.(app(), name),
    dependentsOf: async ({ kind, name }) =>
      (await all((one) => one.uses?.(app()))).filter(({ of }) => of.kind === kind && of.name === name),
    losses: (change) => all((one) => one.losses?.(app(), change)),
    work: (thing) => all((one) => one.work?.(app(), thing)),
    // One after the other: they share a transaction.
    async follow(thing, to) {
      for (const one of references) await one.follow?.(app(), thing, to);
    },
    async forget(thing) {
      for (const one of references) await one.forget?.(app(), thing);
    },
  };
}

/** Names of the capabilities that hear of an event. */
export const hearersIn = (capabilities: readonly Capability[], event: EventName): string[] =>
  capabilities.filter((one) => one.hears?.[event]).map((one) => one.name);

/** The jobs that events become, with a line for each capability that hears. */
export function eventJobs(capabilities: readonly Capability[]): Handlers[] {
  return capabilities.flatMap(({ name, hears = {} }) => {
    const handlers = Object.entries(hears).map(
      ([event, handle]) => [eventJob(event as EventName, name), handle] as const,
    );
    return handlers.length > 0 ? [Object.fromEntries(handlers)] : [];
  });
}
