import type { SkippedRows } from '../check/index.ts';
import type { ColumnType } from '../dataset/index.ts';
import type { FilterSource } from './filterOrder.ts';
import type { GrantHolder, RightLevel } from './rights.ts';
import type { ThingKind } from './resources/index.ts';

/** What the API answers of people and rights; the service, the console and the command line share it. `At`: an instant, a `Date` before it is sent. */
export interface ShownPerson {
  readonly email: string;
  readonly name: string;
  readonly isAdministrator: boolean;
  readonly groups: readonly string[];
  readonly attributes: Readonly<Record<string, readonly string[]>>;
}

/** Who is signed in. */
export interface ShownSession {
  readonly person: ShownPerson;
  /** Makes things for others, and so has use for data and people. */
  readonly isAuthor: boolean;
  /** IANA time zone of the installation, in which all times are shown. */
  readonly timeZone: string;
}

/** A limit on rows, as it is told. */
export interface LimitWords {
  readonly origin: FilterSource;
  readonly name: string;
  readonly words: string;
  /** The reader cannot take it away. */
  readonly isFixed: boolean;
}

/** What a row rule would do, before it is saved. */
export interface RowRuleTest {
  readonly text: string;
  readonly words: string;
  readonly for: { readonly email: string; readonly name: string };
  readonly rowsTotal: number;
  readonly rowsKept: number;
  readonly rowsDropped: number;
  /** With all other rules of the dataset. */
  readonly rowsTogether: number;
  readonly together: readonly string[];
  readonly columns: readonly { readonly name: string; readonly label: string; readonly type: ColumnType }[];
  readonly kept: readonly (readonly (string | number | boolean | null)[])[];
  readonly dropped: readonly (readonly (string | number | boolean | null)[])[];
}

/** What a row rule of a dataset may name. */
export interface RuleVocabulary {
  readonly columns: readonly { readonly name: string; readonly type: ColumnType; readonly label: string }[];
  readonly attributes: readonly {
    readonly name: string;
    readonly label: string;
    readonly type: ColumnType;
    readonly isMany: boolean;
  }[];
  readonly groups: readonly string[];
}

/** A person as those who make things see one. */
export interface ListedPerson extends ShownPerson {
  readonly state: 'invited' | 'active' | 'guest' | 'left';
  readonly organisation: string | null;
  readonly origin: 'here' | 'directory';
}

/** Who was invited by a text, or would be. */
export interface InvitedPeople {
  readonly invited: readonly {
    readonly email: string;
    readonly name: string;
    /** The other organisation of a guest. */
    readonly organisation: string | null;
    readonly groups: readonly string[];
    readonly attributes: Readonly<Record<string, readonly string[]>>;
  }[];
  /** Addresses of those who are here or invited already: they stay as they are, and get nothing. */
  readonly known: readonly string[];
  readonly skipped: SkippedRows | null;
  readonly isPreview: boolean;
}

export interface ShownGroup {
  readonly name: string;
  readonly origin: 'here' | 'directory';
  readonly members: readonly string[];
  readonly owners: readonly string[];
}

export interface ShownAttribute {
  readonly name: string;
  readonly label: string;
  readonly type: ColumnType;
  readonly isMany: boolean;
}

export interface ShownGrant {
  readonly id: number;
  readonly holder: GrantHolder;
  /** The thing itself, every one of its kind (`*`), or a folder around it. */
  readonly thing: { readonly kind: ThingKind; readonly name: string };
  readonly level: RightLevel;
  readonly canPassOn?: boolean;
  /** By address; empty where that is not known. */
  readonly givenBy: string;
}

/** A reader's wish to see something, as its reader sees it. */
export interface OwnRequest<At = string> {
  readonly id: number;
  readonly thingKind: ThingKind;
  readonly thingName: string;
  readonly placementName: string | null;
  readonly words: string;
  readonly state: 'open' | 'granted' | 'refused';
  readonly level: RightLevel | null;
  readonly answer: string;
  readonly answeredBy: string | null;
  readonly askedAt: At;
  readonly answeredAt: At | null;
}

/** The same, as those who may answer it see it. */
export interface ShownRequest<At = string> extends OwnRequest<At> {
  readonly person: { readonly email: string; readonly name: string };
}
