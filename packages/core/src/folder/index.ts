import type { BinnedKind, NamedKind } from '../access/index.ts';

/** Something that lies in folders. */
export interface FoldedThing {
  readonly kind: BinnedKind;
  readonly name: string;
  readonly title: string;
}

/** What a search found. */
export interface FoundThing extends FoldedThing {
  readonly folder?: string;
  /** What inside of it fits, where its name does not. */
  readonly because?: string;
}

export interface ShownFolder {
  readonly name: string;
  readonly title: string;
  /** The folder that it lies in. */
  readonly parentName: string | null;
}

/** Folders with what lies in them. */
export interface FolderContents {
  readonly folders: readonly ShownFolder[];
  readonly things: readonly (FoldedThing & { readonly description: string; readonly folder: string | null })[];
}

/** What a person keeps at hand and looked at last. `At`: an instant, a `Date` before it is sent. */
export interface AtHand<At = string> {
  readonly favourites: readonly FoldedThing[];
  readonly recent: readonly (FoldedThing & { readonly at: At })[];
}

/** A thing in the bin, and until when. */
export interface BinnedThing<At = string> extends FoldedThing {
  readonly deletedAt: At;
  readonly deletedBy: string;
  readonly until: At;
}

/** A name that a thing had, and has no more. */
export interface Redirect {
  readonly kind: NamedKind;
  readonly name: string;
  readonly now: string;
}

/** How the start page of a folder is. */
export interface FolderPage {
  /** What stands at its head. */
  readonly words: string;
  /** What comes first, as `report quay-punctuality` or `board harbour`; the rest follows by title. */
  readonly order: readonly string[];
  readonly hasPictures: boolean;
  /** Hosts whose pages may frame it. */
  readonly origins: readonly string[];
}

export const usualFolderPage: FolderPage = { words: '', order: [], hasPictures: true, origins: [] };

/** A folder as a collection of what a person may see in it. */
export interface Collection {
  readonly name: string;
  readonly title: string;
  readonly words: string;
  readonly hasPictures: boolean;
  readonly folders: readonly { readonly name: string; readonly title: string }[];
  readonly things: readonly (FoldedThing & {
    readonly description: string;
    /** Where it is looked at. */
    readonly path: string;
    /** Of a small current picture. */
    readonly picture: string;
  })[];
}

export type { ThingUser } from '../report/index.ts';
