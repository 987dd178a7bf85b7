import type { NamedKind, PersonViewer, ThingKind } from '@underbell/core/access';
import type { DoorKind, ActiveAccess } from '@underbell/core/activeAccess';
import type { DatasetShape } from '@underbell/core/dataset';
import type { Refusal } from '@underbell/core/refusal';
import type { AnyModel } from './records/index.ts';

export interface ThingId {
  readonly kind: ThingKind;
  readonly name: string;
}

/** What can be given another name: a thing, a group of people, an attribute of theirs. */
export interface Named {
  readonly kind: NamedKind;
  readonly name: string;
}

/** A thing, and the texts that it can be found by. */
export interface ThingTexts {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  /** What is inside, each with where it stands: "column Quay name". */
  readonly inside: readonly { readonly where: string; readonly text: string }[];
}

/** One use of a thing by another, which would be worse off without it. */
export interface ThingUse {
  readonly by: { readonly kind: ThingKind | 'run'; readonly name: string };
  readonly of: ThingId;
  /** In words: "shows it". */
  readonly what: string;
  /** The edition of a report that it stays with; it follows the current one when left out. */
  readonly edition?: number;
  /** The part of a report that is used. */
  readonly part?: { readonly page?: string; readonly figure?: string; readonly parameters: readonly string[] };
}

/** Where that which has a name is kept. */
export interface NamedTable {
  readonly kind: NamedKind;
  readonly model: AnyModel;
  /** What of its rows is its name; `name` when left out. */
  readonly key?: string;
}

/** Where things of a kind are kept. */
export interface ThingTable extends NamedTable {
  readonly kind: ThingKind;
  /** What of its rows is the folder that it lies in. */
  readonly folder?: string;
  /** Why one of them stays as it is, where it does. */
  readonly stays?: (name: string) => string | undefined;
}

/** Something that uses a dataset, and what it would lose. */
export interface Impact {
  readonly user: string;
  readonly what: string;
}

/** Columns of a dataset that are about to change. */
export interface ColumnsChange {
  readonly before: DatasetShape;
  readonly after: DatasetShape;
}

/** Somebody is let in to one placement, and to nothing else, as one of those it is for. */
export interface Admission {
  /** Who let them in, by a right that they hold still. */
  readonly giver: PersonViewer;
  /** In words: "member of Quay leads". */
  readonly because: string;
}

/** Who looks at a placement, and beside which record. */
export interface PlaceVisitor {
  readonly person?: PersonViewer;
  readonly record: Readonly<Record<string, string>>;
  /** The record stands in the visitor’s own address: no program says that it is theirs. */
  readonly isOwnRecord?: boolean;
}

/** What stands in a placement for somebody: another placement of its app, or itself; or why nothing does. */
export interface CompanyVariantResolver {
  readonly shows: string;
  readonly closed?: Refusal;
}

/** A key that is asked for by a grant (RFC 6749, section 4.5); what comes of it is the token response. */
export interface KeyAsked {
  readonly form: Readonly<Record<string, string | undefined>>;
  /** Of the key that whoever asks proved to hold (RFC 9449). */
  readonly keyThumbprint: string | undefined;
}

/** Every kind of thing of an installation, as its capabilities declare them, and what is asked of all capabilities at once. */
export interface Things {
  /** Everything that was handed out and still opens something, as far as a person may know of it. */
  doors(
    person: PersonViewer,
  ): Promise<{ readonly doors: readonly ActiveAccess<Date>[]; readonly failed: readonly DoorKind[] }>;
  /** What of it is ended here. */
  readonly endedKinds: readonly DoorKind[];
  /** Ends one, with the rights of whoever ends it. */
  endDoor(door: { readonly kind: DoorKind; readonly id: string }, person: PersonViewer, origin: string): Promise<void>;
  /** What gives a key for a kind of grant; nothing for one that is not known. */
  tokenGrant(type: string): ((asked: KeyAsked) => Promise<object>) | undefined;
  table(kind: ThingKind): ThingTable;
  namedTable(kind: NamedKind): NamedTable;
  /** Everything of a kind that can be found by its words. */
  texts(kind: ThingKind): Promise<readonly ThingTexts[]>;
  /** Tables with data of its own that are dropped after a thing has gone for good. */
  dataTables(thing: ThingId): Promise<readonly string[]>;
  /** The thing whose editors decide about this one too: its report, for a placement. */
  decidedWith(thing: ThingId): Promise<ThingId | undefined>;
  /** By whom somebody who has no right on what a placement shows is let in to it all the same; nothing where nobody does. */
  admits(person: PersonViewer, placement: string): Promise<Admission | undefined>;
  /** What stands in a placement for whoever looks at it. */
  companyVariantOf(placement: string, who: PlaceVisitor): Promise<CompanyVariantResolver>;
  /** Stops a program whose app is switched off. @throws {Refusal} `APP_DISABLED` */
  requireEnabledApp(clientId: string): Promise<void>;
  /** Who an ID token of another program is of. @throws {Refusal} `TOKEN_INVALID`, `GRANT_UNSUPPORTED` without a directory */
  personBehind(idToken: string, audience: string): Promise<PersonViewer>;
  /** Everything that uses a thing. */
  dependentsOf(thing: ThingId): Promise<readonly ThingUse[]>;
  /** What changed columns of a dataset would break. */
  losses(change: ColumnsChange): Promise<readonly Impact[]>;
  /** What is under way with a thing, in words. */
  work(thing: ThingId): Promise<readonly string[]>;
  /** Lets everything that names a thing follow it to its new name. */
  follow(thing: Named, to: string): Promise<void>;
  /** Lets every capability forget a thing that is gone for good. */
  forget(thing: ThingId): Promise<void>;
}

/** Who uses something, in words: `board harbour-day`. */
export const userOf = ({ by }: ThingUse): string => `${by.kind} ${by.name}`;
