import { createHash, randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, readdir, rename, rm, stat, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { lockResource, type App } from '../platform/index.ts';
import { isNamed, keptHashes } from './store.ts';

/** Beside the copies that bursts keep. Each file lies under the hash of its bytes: equal ones lie there once. */
const folderOf = (app: App) => join(app.settings.workDir, 'media');
const incomingOf = (app: App) => join(folderOf(app), 'incoming');

export const fileOf = (app: App, hash: string): string => join(folderOf(app), hash);
export const thumbnailOf = (app: App, hash: string): string => join(folderOf(app), `${hash}.thumbnail`);

/** A file of its own for what comes in, in which nobody looks for anything yet. */
export async function incomingFile(app: App): Promise<string> {
  await mkdir(incomingOf(app), { recursive: true });
  return join(incomingOf(app), randomUUID());
}

/** SHA-256 of a file, in hexadecimal digits. */
export async function hashOf(path: string): Promise<string> {
  const hash = createHash('sha256');
  await pipeline(createReadStream(path), hash);
  return hash.digest('hex');
}

/** Puts a file under its hash, whole or not at all; what was there already is the same. */
export async function keepFile(path: string, place: string): Promise<void> {
  await rename(path, place);
  // Just come: no version names it yet, and it is none that nobody wants.
  const now = new Date();
  await utimes(place, now, now);
}

/** Nothing for what is not there: another process sweeps, too. */
function unlessGone(error: NodeJS.ErrnoException): undefined {
  if (error.code !== 'ENOENT') throw error;
}

/** What no version names is kept for so long: it may be about to get one. */
const restMs = 3_600_000;

/** Keeps others from putting a file there, and from sweeping it away, until the transaction ends. */
export const lockFile = (app: App, hash: string): Promise<void> => lockResource(app, 'media file', hash);

/** Takes away files that no version names any more, and what came in half. */
export async function sweepFiles(app: App): Promise<void> {
  const kept = await keptHashes(app);
  const isOld = async (path: string) => {
    const found = await stat(path).catch(unlessGone);
    return found !== undefined && app.now() - found.mtimeMs > restMs;
  };
  for (const folder of [folderOf(app), incomingOf(app)]) {
    for (const name of (await readdir(folder).catch(unlessGone)) ?? []) {
      const path = join(folder, name);
      if (path === incomingOf(app)) continue;
      const [hash] = name.split('.');
      if (folder === folderOf(app) && kept.has(hash!)) continue;
      if (!(await isOld(path))) continue;
      await app.records.transaction(async () => {
        await lockFile(app, hash!);
        // Somebody may have put the same file there meanwhile.
        if (!(await isNamed(app, hash!)) && (await isOld(path))) await rm(path, { force: true });
      });
    }
  }
}
