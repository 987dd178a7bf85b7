import { Refusal } from '@underbell/core/refusal';

/** A file of a copy, ready on disk. */
export interface CopyFile {
  readonly name: string;
  readonly path: string;
  /** Media type. */
  readonly type: string;
  readonly sizeBytes: number;
  readonly sha256: string;
}

/** One recipient's copy as it is handed to a destination that has places for files, or to a program. */
export interface PlacedCopy {
  /** The same whoever sends it, however often it is tried. */
  readonly key: string;
  readonly files: readonly CopyFile[];
  /** Segments of the folder below the destination. */
  readonly folder: readonly string[];
  /** Whether a file that is there already may be written over. */
  readonly replace: boolean;
  /** What a program is told beside the files. */
  readonly about: Readonly<Record<string, string | number>>;
}

/** A way to a destination, for the length of one run. */
export interface Transport {
  /**
   * Puts a copy there. Doing it again changes nothing: what arrived already counts.
   *
   * @returns where each file lies; nothing where files have no place
   * @throws {Refusal} `DESTINATION_REFUSED` for this copy alone; `DESTINATION_UNREACHABLE`, `DESTINATION_BUSY`,
   *   `DESTINATION_CLOSED` for every copy
   */
  put(copy: PlacedCopy): Promise<string[]>;
  /** Tries it out with a file of its own, and cleans up. @returns in words what was done */
  test(): Promise<string>;
}

/** Whether a refusal is about the destination rather than about one copy. */
export function isFailing(error: unknown): error is Refusal {
  return (
    error instanceof Refusal &&
    ['DESTINATION_UNREACHABLE', 'DESTINATION_BUSY', 'DESTINATION_CLOSED'].includes(error.code)
  );
}

export const testFileName = 'underbell-test.txt';
export const testText = 'Under Bell looked whether copies can be put here, and takes this file away again.\n';

export const taken = (name: string) =>
  new Refusal('DESTINATION_REFUSED', `Another file “${name}” already exists and is not overwritten.`, {
    word: name,
    hint: 'Use other file names, or set “replace” in the burst.',
  });
