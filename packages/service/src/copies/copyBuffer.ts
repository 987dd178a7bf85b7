import { createHash } from 'node:crypto';
import {
  appendFileSync,
  closeSync,
  createReadStream,
  fstatSync,
  mkdirSync,
  openSync,
  readSync,
  writeFileSync,
} from 'node:fs';
import { copyFile, link, mkdir, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { TextEncoding } from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import { isDiskFull } from '../platform/uploads.ts';
import { textEncoder } from './textEncoding.ts';

/** All cuts together hold this much at most before it is written out; it is all the memory that cutting takes. */
const mostBytes = 48 * 1024 * 1024;
/** For few cuts less will do: they may be read one by one. */
const heldBytes = (cuts: number) => Math.min(mostBytes, Math.max(4, cuts) * 1024 * 1024);
/** What rows are read into, before their bytes move on. */
const roomBytes = 512 * 1024;
const smallestPart = 1024;
const largestPart = 128 * 1024;
const textPart = 256 * 1024;

function diskRefusal(cause: unknown): unknown {
  if (!isDiskFull(cause)) return cause;
  return new Refusal(
    'DISK_FULL',
    'There is no disk space for the copies. Nothing was sent.',
    { hint: 'Free disk space, then run the burst again.' },
    { cause },
  );
}

/** Large enough to be worth a write, small enough for every cut to hold two. */
function partBytes(cuts: number, bytes: number): number {
  const share = bytes / (2 * Math.max(1, cuts));
  return Math.min(largestPart, Math.max(smallestPart, 2 ** Math.floor(Math.log2(share))));
}

/** How the files of a run are written. */
export interface CutStyle {
  /** The first line of each file, with its end. */
  readonly heading: string;
  /** What follows each row. */
  readonly lineEnd: string;
}

/**
 * Collects the cuts of one run in memory and writes them to files when it is used up, and at the end.
 *
 * The memory is one piece, taken once: rows are read into its room and moved within it, part by part, so that neither a
 * row nor a cut makes anything that would have to be cleared away.
 */
export class CopyBuffer {
  /** Where rows are best read into: from there their bytes move fastest. */
  readonly room: Buffer;
  readonly #paths: readonly string[];
  readonly #held: Buffer;
  readonly #partBytes: number;
  /** The parts that each cut holds, by where they begin; the last is being filled. */
  readonly #parts: number[][];
  /** How full the last part of each cut is. */
  readonly #filled: Uint32Array;
  readonly #count: number;
  readonly #lineEnd: Buffer;
  #free: number[] = [];

  /**
   * @param paths - one file per cut; anything that an earlier attempt left there is replaced
   * @param bytes - how much is held before it is written out
   */
  constructor(paths: readonly string[], { heading, lineEnd }: CutStyle, bytes = heldBytes(paths.length)) {
    this.#paths = paths;
    this.#held = Buffer.allocUnsafeSlow(roomBytes + bytes);
    this.room = this.#held.subarray(0, roomBytes);
    this.#partBytes = partBytes(paths.length, bytes);
    this.#count = Math.floor(bytes / this.#partBytes);
    this.#parts = paths.map(() => []);
    this.#filled = new Uint32Array(paths.length);
    this.#lineEnd = Buffer.from(lineEnd);
    this.#freeAll();
    try {
      for (const path of paths) {
        mkdirSync(dirname(path), { recursive: true });
        writeFileSync(path, heading);
      }
    } catch (cause) {
      throw diskRefusal(cause);
    }
  }

  #freeAll(): void {
    const last = roomBytes + (this.#count - 1) * this.#partBytes;
    this.#free = Array.from({ length: this.#count }, (_, i) => last - i * this.#partBytes);
  }

  /** Takes a row and ends its line. @throws {Refusal} `DISK_FULL` */
  readonly take = (cut: number, data: Buffer, start: number, end: number): void => {
    const lineEnd = this.#lineEnd;
    const filled = this.#filled[cut]!;
    const after = filled + end - start;
    const parts = this.#parts[cut]!;
    if (parts.length > 0 && after + lineEnd.length <= this.#partBytes) {
      const at = parts.at(-1)!;
      this.#move(data, start, end, at + filled);
      for (let i = 0; i < lineEnd.length; i++) this.#held[at + after + i] = lineEnd[i]!;
      this.#filled[cut] = after + lineEnd.length;
      return;
    }
    this.#add(cut, data, start, end);
    this.#add(cut, lineEnd, 0, lineEnd.length);
  };

  /** Adds bytes that may not fit into the part that is being filled. */
  #add(cut: number, data: Buffer, start: number, end: number): void {
    for (let from = start; from < end;) {
      let parts = this.#parts[cut]!;
      if (parts.length === 0 || this.#filled[cut] === this.#partBytes) {
        if (this.#free.length === 0) {
          this.flush();
          parts = this.#parts[cut]!;
        }
        parts.push(this.#free.pop()!);
        this.#filled[cut] = 0;
      }
      const filled = this.#filled[cut]!;
      const to = Math.min(end, from + this.#partBytes - filled);
      this.#move(data, from, to, parts.at(-1)! + filled);
      this.#filled[cut] = filled + to - from;
      from = to;
    }
  }

  /** Moving within one piece of memory makes no view of it, which would cost more than the bytes. */
  #move(data: Buffer, from: number, to: number, at: number): void {
    const held = this.#held;
    if (data.buffer === held.buffer) held.copyWithin(at, data.byteOffset + from, data.byteOffset + to);
    else data.copy(held, at, from, to);
  }

  /** @throws {Refusal} `DISK_FULL` */
  flush(): void {
    for (const [cut, parts] of this.#parts.entries()) {
      if (parts.length === 0) continue;
      this.#write(this.#paths[cut]!, parts, this.#filled[cut]!);
      this.#parts[cut] = [];
    }
    this.#freeAll();
  }

  #write(path: string, parts: readonly number[], lastBytes: number): void {
    try {
      const file = openSync(path, 'a');
      try {
        for (const [i, at] of parts.entries()) {
          const length = i === parts.length - 1 ? lastBytes : this.#partBytes;
          appendFileSync(file, this.#held.subarray(at, at + length));
        }
      } finally {
        closeSync(file);
      }
    } catch (cause) {
      throw diskRefusal(cause);
    }
  }
}

/** A text file that grows line by line, a good part at a time. */
export class TextFile {
  readonly #path: string;
  readonly #encode: (text: string) => Uint8Array;
  #held: string;

  /** @param head - what it begins with; anything that an earlier attempt left there is replaced */
  constructor(path: string, head: string, encoding: TextEncoding = 'utf-8') {
    this.#path = path;
    this.#encode = textEncoder(encoding);
    this.#held = head;
    writeCopy(path, Buffer.alloc(0));
  }

  add(text: string): void {
    this.#held += text;
    if (this.#held.length > textPart) this.end();
  }

  /** @throws {Refusal} `DISK_FULL`, `VALUE_INVALID` for a text that the encoding cannot hold */
  end(): void {
    addToCopy(this.#path, this.#encode(this.#held));
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

/** Writes more of a copy that is made piece by piece. @throws {Refusal} `DISK_FULL` */
export function addToCopy(path: string, bytes: Uint8Array): void {
  try {
    appendFileSync(path, bytes);
  } catch (cause) {
    throw diskRefusal(cause);
  }
}

/** Hands out what reads pieces of a file, and its length in bytes. */
export async function withFile(
  path: string,
  use: (read: (offset: number, length: number) => Uint8Array, length: number) => Promise<void>,
): Promise<void> {
  const file = openSync(path, 'r');
  try {
    const read = (offset: number, length: number) => {
      const piece = Buffer.alloc(length);
      return piece.subarray(0, readSync(file, piece, 0, length, offset));
    };
    await use(read, fstatSync(file).size);
  } finally {
    closeSync(file);
  }
}

/** By which a file is known again. */
export interface FileDigest {
  readonly sizeBytes: number;
  readonly sha256: string;
}

/** Size and hash of a file as it will be sent. */
export async function describeFile(path: string): Promise<FileDigest> {
  const hash = createHash('sha256');
  let sizeBytes = 0;
  for await (const piece of createReadStream(path, { highWaterMark: 1024 * 1024 }) as AsyncIterable<Buffer>) {
    hash.update(piece);
    sizeBytes += piece.length;
  }
  return { sizeBytes, sha256: hash.digest('hex') };
}

/** Gives a recipient a file under their own name; it lies there once, however many names it has. */
export async function handOver(from: string, to: string): Promise<void> {
  await mkdir(dirname(to), { recursive: true });
  // One that an earlier attempt left there may be of half the size.
  await rm(to, { force: true });
  try {
    await link(from, to);
  } catch {
    // Not every disk has second names.
    await copyFile(from, to).catch((cause: unknown) => {
      throw diskRefusal(cause);
    });
  }
}

export function runFolder(workDir: string, run: number): string {
  return join(workDir, `run-${run}`);
}

/** Where files lie before they have their recipients' names; no copy is called so. */
export const madeFolder = (workDir: string, run: number) => join(runFolder(workDir, run), 'made');

/** Leaves the copies of a run and drops what they were made from. */
export async function dropMade(workDir: string, run: number): Promise<void> {
  await rm(madeFolder(workDir, run), { recursive: true, force: true });
}

export async function dropRunFolder(workDir: string, run: number): Promise<void> {
  await rm(runFolder(workDir, run), { recursive: true, force: true });
}
