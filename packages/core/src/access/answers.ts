import type { ColumnType } from '../dataset/index.ts';
import type { GrantHolder, RightLevel } from './rights.ts';
import type { ThingKind } from './things/index.ts';

/** What the API answers of people and rights; the service, the console and the command line share it. `At`: an instant, a `Date` before it is sent. */
export interface ShownPerson {
  readonly email: string;
  readonly name: string;
  readonly isAdministrator: boolean;
  readonly groups: readonly string[];
  readonly attributes: Readonly<Record<string, readonly string[]>>;
}

/** A person as those who make things see one. */
export interface ListedPerson extends ShownPerson {
  readonly state: 'invited' | 'active' | 'guest' | 'left';
  readonly organisation: string | null;
  readonly origin: 'here' | 'directory';
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
