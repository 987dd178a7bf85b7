import type { RightLevel } from '../access/index.ts';
import type { MediaType } from './types.ts';

/** One version of a picture or video, as it was put in. `At`: an instant, a `Date` before it is sent. */
export interface MediaVersion<At = string> {
  readonly number: number;
  readonly type: MediaType;
  readonly fileName: string;
  readonly sizeBytes: number;
  /** SHA-256 of its bytes, in hexadecimal digits. */
  readonly hash: string;
  /** Pixels across and down; null where only whoever plays it finds out. */
  readonly width: number | null;
  readonly height: number | null;
  readonly by: string;
  readonly at: At;
}

/** A picture or video with its newest version. */
export interface ListedMedia<At = string> {
  readonly name: string;
  readonly title: string;
  readonly newest: MediaVersion<At>;
}

export interface ShownMedia<At = string> extends ListedMedia<At> {
  readonly right: RightLevel;
  /** Newest first. */
  readonly versions: readonly MediaVersion<At>[];
  /** What shows it, as far as whoever asks may know. */
  readonly usedBy: readonly string[];
}
