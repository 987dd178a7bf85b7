import { createHash, randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { copyFile, link, mkdir, realpath, rename, rm, writeFile } from 'node:fs/promises';
import { isAbsolute, join, relative } from 'node:path';
import { pathToFileURL } from 'node:url';
import { Refusal } from '@underbell/core/refusal';
import { isDiskFull } from '../platform/index.ts';
import { taken, testFileName, testText, type CopyFile, type PlacedCopy, type Transport } from './transport.ts';

const codeOf = (cause: unknown) => (cause as { code?: string }).code ?? '';

function refusalOf(cause: unknown): unknown {
  const code = codeOf(cause);
  if (cause instanceof Refusal || code === '') return cause;
  if (isDiskFull(cause)) return new Refusal('DESTINATION_CLOSED', 'The server folder is full.', {}, { cause });
  if (code === 'EACCES' || code === 'EPERM' || code === 'EROFS')
    return new Refusal('DESTINATION_CLOSED', 'The server folder is not writable.', {}, { cause });
  if (code === 'ENAMETOOLONG')
    return new Refusal('DESTINATION_REFUSED', 'A file name is too long for the server folder.', {}, { cause });
  return new Refusal('DESTINATION_UNREACHABLE', `The server folder cannot be used (${code}).`, {}, { cause });
}

async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const part of createReadStream(path)) hash.update(part as Buffer);
  return hash.digest('hex');
}

/** A directory of the service's own host, below the folder set aside for it. */
export class DirectoryTransport implements Transport {
  readonly #root: string;
  readonly #segments: readonly string[];

  /** @param root - that nothing leads out of */
  constructor(root: string, segments: readonly string[]) {
    this.#root = root;
    this.#segments = segments;
  }

  /** Makes a folder, and sees that no link leads it out of the root. */
  async #folder(segments: readonly string[]): Promise<string> {
    const path = join(this.#root, ...this.#segments, ...segments);
    await mkdir(path, { recursive: true });
    const way = relative(await realpath(this.#root), await realpath(path));
    if (way.startsWith('..') || isAbsolute(way))
      throw new Refusal('DESTINATION_REFUSED', 'The folder is outside the folder for exports.');
    return path;
  }

  /** A file appears whole under its name or not at all. */
  async #putFile(folder: string, file: CopyFile, replace: boolean): Promise<string> {
    const path = join(folder, file.name);
    const part = join(folder, `.${randomUUID()}.part`);
    try {
      await copyFile(file.path, part);
      if (replace) await rename(part, path);
      else
        await link(part, path).catch(async (cause: unknown) => {
          // A try before this one may have put it there and died before it could say so.
          if (codeOf(cause) !== 'EEXIST' || (await hashOf(path)) === file.sha256) {
            if (codeOf(cause) !== 'EEXIST') throw cause;
            return;
          }
          throw taken(file.name);
        });
      return path;
    } finally {
      await rm(part, { force: true });
    }
  }

  async put({ files, folder, replace }: PlacedCopy): Promise<string[]> {
    try {
      const place = await this.#folder(folder);
      const places: string[] = [];
      for (const file of files) places.push(pathToFileURL(await this.#putFile(place, file, replace)).href);
      return places;
    } catch (cause) {
      throw refusalOf(cause);
    }
  }

  async test(): Promise<string> {
    try {
      const path = join(await this.#folder([]), `${randomUUID()}-${testFileName}`);
      await writeFile(path, testText);
      await rm(path);
      return 'A test file was written and deleted.';
    } catch (cause) {
      throw refusalOf(cause);
    }
  }
}
