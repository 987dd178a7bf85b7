import { createHash } from 'node:crypto';
import { appendFileSync, mkdirSync, writeFileSync } from 'node:fs';
import { readFile, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { Refusal } from '@underbell/core/refusal';
import type { MadeFile } from './store.ts';

/** All cuts together may hold this much before they are written out. */
const maxHeldBytes = 48 * 1024 * 1024;
const firstBufferBytes = 16 * 1024;
const textPart = 256 * 1024;

function diskRefusal(cause: unknown): unknown {
  const { code } = cause as { code?: string };
  if (code !== 'ENOSPC' && code !== 'EDQUOT') return cause;
  return new Refusal(
    'DISK_FULL',
    'there is no space left for the copies; nothing was sent',
    { hint: 'make room and run the burst again' },
    { cause },
  );
}

/** A growing piece of memory. */
class Held {
  #bytes = Buffer.allocUnsafe(firstBufferBytes);
  #length = 0;

  get length(): number {
    return this.#length;
  }

  add(chunk: Buffer, start: number, end: number): void {
    const needed = this.#length + end - start;
    if (needed > this.#bytes.length) {
      const larger = Buffer.allocUnsafe(Math.max(needed, this.#bytes.length * 2));
      this.#bytes.copy(larger, 0, 0, this.#length);
      this.#bytes = larger;
    }
    chunk.copy(this.#bytes, this.#length, start, end);
    this.#length = needed;
  }

  take(): Buffer {
    return this.#bytes.subarray(0, this.#length);
  }
}

/** Collects the cuts of one run in memory and writes them to files when they grow too large together, and at the end. */
export class CutSpool {
  readonly #paths: readonly string[];
  readonly #held = new Map<number, Held>();
  #heldBytes = 0;

  /**
   * @param paths - one file per cut; anything that an earlier attempt left there is replaced
   * @param heading - the first line of each file
   */
  constructor(paths: readonly string[], heading: string) {
    this.#paths = paths;
    try {
      for (const path of paths) {
        mkdirSync(dirname(path), { recursive: true });
        writeFileSync(path, heading);
      }
    } catch (cause) {
      throw diskRefusal(cause);
    }
  }

  readonly take = (cut: number, chunk: Buffer, start: number, end: number): void => {
    let held = this.#held.get(cut);
    if (held === undefined) {
      held = new Held();
      this.#held.set(cut, held);
    }
    held.add(chunk, start, end);
    this.#heldBytes += end - start;
    if (this.#heldBytes > maxHeldBytes) this.flush();
  };

  /** @throws {Refusal} `DISK_FULL` */
  flush(): void {
    try {
      for (const [cut, held] of this.#held) appendFileSync(this.#paths[cut]!, held.take());
    } catch (cause) {
      throw diskRefusal(cause);
    }
    this.#held.clear();
    this.#heldBytes = 0;
  }
}

/** A text file that grows line by line, a good part at a time. */
export class TextFile {
  readonly #path: string;
  #held: string;

  /** @param head - what it begins with; anything that an earlier attempt left there is replaced */
  constructor(path: string, head: string) {
    this.#path = path;
    this.#held = head;
    writeCopy(path, Buffer.alloc(0));
  }

  add(text: string): void {
    this.#held += text;
    if (this.#held.length > textPart) this.end();
  }

  /** @throws {Refusal} `DISK_FULL` */
  end(): void {
    try {
      appendFileSync(this.#path, this.#held);
    } catch (cause) {
      throw diskRefusal(cause);
    }
    this.#held = '';
  }
}

/** Writes a rendered copy. @throws {Refusal} `DISK_FULL` */
export function writeCopy(path: string, bytes: Buffer): void {
  try {
    mkdirSync(dirname(path), { recursive: true });
    writeFileSync(path, bytes);
  } catch (cause) {
    throw diskRefusal(cause);
  }
}

/** Size and hash of a file as it will be sent. */
export async function describeFile(file: MadeFile, path: string): Promise<MadeFile> {
  const bytes = await readFile(path);
  return { ...file, sizeBytes: bytes.length, sha256: createHash('sha256').update(bytes).digest('hex') };
}

export function runFolder(spool: string, run: number): string {
  return join(spool, `run-${run}`);
}

/** Where files lie before they have their recipients' names; no copy is called so. */
export const madeFolder = (spool: string, run: number) => join(runFolder(spool, run), 'made');

/** Leaves the copies of a run and drops what they were made from. */
export async function dropMade(spool: string, run: number): Promise<void> {
  await rm(madeFolder(spool, run), { recursive: true, force: true });
}

export async function dropRunFolder(spool: string, run: number): Promise<void> {
  await rm(runFolder(spool, run), { recursive: true, force: true });
}
