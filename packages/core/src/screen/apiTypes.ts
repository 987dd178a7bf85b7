import type { RightLevel } from '../access/index.ts';
import type { MediaType } from '../media/types.ts';
import type { PlaylistDefinition, Slot } from './playlist.ts';
import type { ScreenValues } from './attributes.ts';
import type { Stretch } from './rotation.ts';

/** What a device says of itself when it asks to be a screen. */
export interface Device {
  /** The browser, in a few words. */
  readonly browser?: string;
  /** Across and down, in pixels. */
  readonly width?: number;
  readonly height?: number;
  /** The address that it asked from. */
  readonly address?: string;
  /** It runs no scripts, and shows pictures that the service draws. */
  readonly isPicture?: true;
}

/** What a device is, for whoever stands before it. */
export function deviceWords({ browser, width, height, isPicture }: Device): string {
  const size = width === undefined || height === undefined ? 'of unknown size' : `${width} × ${height} pixels`;
  return `${browser ?? 'a browser'}, ${size}${isPicture ? '; it runs no scripts, and shows pictures' : ''}`;
}

/** A device that waits to be taken in, as whoever typed its code sees it. `At`: an instant, a `Date` before it is sent. */
export interface WaitingDevice<At = string> {
  readonly code: string;
  readonly device: Device;
  readonly askedAt: At;
  readonly expiresAt: At;
}

/** What a screen says with each beat. */
export interface ShownNow {
  readonly slot?: string;
  readonly playlist?: string;
  readonly revision?: number;
  /** By playlist: the revision that it keeps and plays by. */
  readonly has?: Readonly<Record<string, number>>;
  /** When the rows on it were loaded, in milliseconds since 1970-01-01T00:00:00Z; null where it shows none. */
  readonly asOf?: number | null;
  /** How far its own clock is ahead of the service's, in milliseconds. */
  readonly clockErrorMs?: number;
  readonly storedBytes?: number;
  readonly browser?: string;
  readonly width?: number;
  readonly height?: number;
  /** Of this day, on the service's clock. */
  readonly errors?: number;
  readonly lastError?: string;
}

/** How a screen is doing, the worst first. */
export const screenStateWords = ['silent', 'failing', 'stale', 'behind', 'fine', 'closed'] as const;
export type ScreenState = (typeof screenStateWords)[number];

/** A screen in the list of all. */
export interface ListedScreen<At = string> {
  readonly name: string;
  readonly title: string;
  readonly group: string;
  readonly attributes: ScreenValues;
  readonly timeZone: string;
  readonly language: string;
  /** Pages that live, or pictures that the service draws. */
  readonly showsBy: 'live' | 'picture';
  readonly state: ScreenState;
  /** Why it is in that state, in words. */
  readonly why: string;
  readonly beatAt: At | null;
  /** When it sent the last picture of what is on it; null where it never did. */
  readonly picturedAt: At | null;
  readonly shown: ShownNow | null;
  readonly pairedBy: string;
  readonly pairedAt: At;
  readonly endedBy?: string;
  readonly endedAt?: At;
}

/** How many screens are in which state. */
export type ScreenCounts = Readonly<Record<ScreenState, number>>;

/** A part of all screens, the worst first. */
export interface Fleet<At = string> {
  readonly screens: readonly ListedScreen<At>[];
  /** Of those that were asked for, with what is left out here. */
  readonly total: number;
  /** Of all states, whichever was asked for. */
  readonly counts: ScreenCounts;
}

/** One thing that happened to a screen. */
export interface ScreenEvent<At = string> {
  readonly at: At;
  readonly what: string;
  readonly detail: string;
}

/** A screen with what it should show and what happened to it. */
export interface ShownScreen<At = string> extends ListedScreen<At> {
  readonly right: RightLevel;
  readonly device: Device;
  readonly playlists: readonly {
    readonly name: string;
    readonly title: string;
    readonly revision: number;
    readonly newest: number;
    readonly by: string;
  }[];
  readonly history: readonly ScreenEvent<At>[];
}

export interface ShownInterruption<At = string> {
  readonly id: number;
  readonly slot: Slot;
  readonly by: string;
  readonly from: At;
  readonly until: At;
}

/** A group of screens. */
export interface ShownGroup<At = string> {
  readonly name: string;
  readonly title: string;
  readonly worryMinutes: number;
  readonly leaseHours: number;
  readonly otherwise: string;
  readonly right: RightLevel;
  readonly screens: number;
  readonly interruptions: readonly ShownInterruption<At>[];
}

/** Where a playlist was published, and which revision stands there. */
export interface PlaylistTarget {
  readonly kind: 'screen' | 'screen-group';
  readonly name: string;
}

export interface ListedPlaylist<At = string> {
  readonly name: string;
  readonly title: string;
  readonly description: string;
  readonly slots: number;
  /** The newest that was published; null where none was. */
  readonly revision: number | null;
  readonly targets: readonly (PlaylistTarget & { readonly revision: number })[];
  readonly changedBy: string;
  readonly changedAt: At;
}

export interface ShownRevision<At = string> {
  readonly number: number;
  readonly by: string;
  readonly at: At;
  readonly note: string;
  readonly slots: number;
}

export interface ShownPlaylist<At = string> extends ListedPlaylist<At> {
  readonly right: RightLevel;
  readonly definition: PlaylistDefinition;
  readonly version: number;
  /** Newest first. */
  readonly revisions: readonly ShownRevision<At>[];
  /** The screens that should have it, with what they say they have. */
  readonly screens: readonly {
    readonly name: string;
    readonly title: string;
    readonly wanted: number;
    readonly has: number | null;
  }[];
}

/** What publishing would mean for one screen. */
export interface PlannedScreen {
  readonly name: string;
  readonly title: string;
  /** The revision that it has of this playlist; null where it is new to it. */
  readonly has: number | null;
  /** Slots that it cannot show, each with why. */
  readonly misfits: readonly { readonly slot: string; readonly why: string }[];
  /** Slots that it can show, though not as they are meant to be: too small, too short for their sheets. */
  readonly cautions: readonly { readonly slot: string; readonly why: string }[];
}

export interface PlaylistPlan {
  readonly playlist: string;
  /** The revision that it would be. */
  readonly revision: number;
  readonly changes: {
    readonly added: readonly string[];
    readonly removed: readonly string[];
    readonly changed: readonly string[];
  };
  readonly screens: readonly PlannedScreen[];
  /** Reports that a target has no right on yet, and whether whoever asks may give it. */
  readonly lacks: readonly (PlaylistTarget & { readonly report: string; readonly mayGive: boolean })[];
}

/** A picture or video of a slot, as a screen fetches it. */
export interface MediaHandle {
  readonly type: MediaType;
  readonly sizeBytes: number;
  /** SHA-256 of its bytes, in hexadecimal digits: what came otherwise is not shown. */
  readonly hash: string;
}

/** What a screen asks for to show a slot. */
export interface SlotHandle {
  /** In the path of what it asks for. */
  readonly id: string;
  readonly kind: 'page' | 'words' | 'media';
  readonly title?: string;
  /** Of a slot of words: its own placeholders filled; left out where values of figures stand in them, and are asked for. */
  readonly text?: string;
  /** Of a picture or video. */
  readonly media?: MediaHandle;
}

/** Words with values of figures in them. */
export interface ShownWords {
  readonly text: string;
  /** When the oldest rows behind them were loaded, milliseconds since 1970-01-01T00:00:00Z; null where there are none. */
  readonly asOf: number | null;
}

/** Everything that a screen needs to know to play on for a while. Times: milliseconds since 1970-01-01T00:00:00Z. */
export interface ScreenProgram {
  /** Changes with anything in it. */
  readonly tag: string;
  readonly now: number;
  readonly screen: {
    readonly name: string;
    readonly title: string;
    readonly group: string;
    readonly timeZone: string;
    readonly language: string;
  };
  readonly worryMs: number;
  readonly leaseMs: number;
  readonly otherwise: string;
  readonly stretches: readonly Stretch<SlotHandle>[];
}

/** What a screen may be told to do with its next beat. */
export type ScreenCommand = 'reload' | 'show name' | 'send picture';

export interface HeartbeatResponse {
  readonly now: number;
  /** Of the program that counts. */
  readonly tag: string;
  readonly orders: readonly ScreenCommand[];
}
