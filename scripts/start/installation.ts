import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { Advice, isReachable } from '../cluster.ts';
import { root } from '../install.mjs';

/** What an installation has to remember between starts. */
export interface Installation {
  readonly databasePassword: string;
  readonly secret: string;
  /** `loading` means that a start was interrupted; the demo is then loaded anew. */
  readonly demo: 'none' | 'loading' | 'loaded';
}

/** The data folder: where `UNDERBELL_DATA` says, else in the checkout, else where the database server can reach. */
export function dataFolder(): string {
  const named = process.env['UNDERBELL_DATA'];
  if (named) {
    if (!isReachable(named))
      throw new Advice(
        `The database server's user cannot get into ${named}. Choose another UNDERBELL_DATA, or open the folders above it (chmod a+x).`,
      );
    return named;
  }
  const own = join(root, '.underbell');
  if (isReachable(own)) return own;
  return join('/var/lib/underbell', createHash('sha256').update(root).digest('hex').slice(0, 8));
}

const fileIn = (folder: string) => join(folder, 'installation.json');

export function saveInstallation(folder: string, installation: Installation): void {
  const path = fileIn(folder);
  writeFileSync(`${path}.new`, JSON.stringify(installation, null, 2), { mode: 0o600 });
  renameSync(`${path}.new`, path);
}

/** Reads what is there; a cluster without its installation file is a half-made folder. */
export function openInstallation(folder: string): { installation: Installation; isNew: boolean } {
  mkdirSync(folder, { recursive: true, mode: 0o755 });
  const path = fileIn(folder);
  if (!existsSync(path)) {
    if (existsSync(join(folder, 'postgres'))) {
      throw new Advice(
        `${folder} has a database but not the file that opens it (installation.json). Put that file back, or begin anew: npm start -- --fresh`,
      );
    }
    const made: Installation = {
      databasePassword: randomBytes(24).toString('hex'),
      secret: randomBytes(32).toString('hex'),
      demo: 'none',
    };
    saveInstallation(folder, made);
    return { installation: made, isNew: true };
  }
  try {
    return { installation: JSON.parse(readFileSync(path, 'utf8')) as Installation, isNew: false };
  } catch {
    throw new Advice(`${path} cannot be read. Put a copy of it back, or begin anew: npm start -- --fresh`);
  }
}

function isRunning(pid: number): boolean {
  const path = `/proc/${pid}/cmdline`;
  return existsSync(path) && readFileSync(path, 'utf8').includes(join('dist', 'start'));
}

/** Keeps a second start out of the same folder. @returns gives the folder free */
export function lockFolder(folder: string): () => void {
  mkdirSync(folder, { recursive: true });
  const path = join(folder, 'start.pid');
  const holder = existsSync(path) ? Number(readFileSync(path, 'utf8')) : 0;
  if (holder > 0 && holder !== process.pid && isRunning(holder)) {
    throw new Advice(
      `Under Bell already runs from ${folder} (process ${holder}). Stop it there with Ctrl-C, or use another UNDERBELL_DATA and UNDERBELL_PORT.`,
    );
  }
  writeFileSync(path, String(process.pid));
  return () => rmSync(path, { force: true });
}
