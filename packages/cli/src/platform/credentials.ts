import { closeSync, existsSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { localProblem } from './problem.ts';

/** Whom the command line speaks for, and with which installation. */
export interface Credentials {
  readonly url: string;
  readonly key: string;
  readonly email: string;
}

/** Sign-ins by the address of their service. */
interface SignIns {
  readonly services: Readonly<Record<string, Omit<Credentials, 'url'>>>;
  /** Address of the service that was signed in to last. */
  readonly current?: string;
}

const none: SignIns = { services: {} };
const defaultUrl = 'http://127.0.0.1:7300';
const withoutSlash = (url: string) => url.replace(/\/$/, '');

/** The folder that holds all packages, from wherever in it this runs. */
function findCheckout(folder: string): string {
  const above = dirname(folder);
  return existsSync(join(folder, 'package-lock.json')) || above === folder ? folder : findCheckout(above);
}

/** The file of the user, or the one that is told. */
const ownFile = (): string =>
  process.env['UNDERBELL_CREDENTIALS'] ??
  // XDG Base Directory Specification
  join(process.env['XDG_CONFIG_HOME'] || join(homedir(), '.config'), 'underbell', 'credentials.json');

/** Where the start command leaves the sign-in of the demo: in the data folder. It is read, and never written to. */
function demoFile(): string | undefined {
  if (process.env['UNDERBELL_CREDENTIALS']) return undefined;
  const told = process.env['UNDERBELL_DATA'];
  if (told) return join(told, 'cli.json');
  const checkout = findCheckout(dirname(fileURLToPath(import.meta.url)));
  const elsewhere = createHash('sha256').update(checkout).digest('hex').slice(0, 8);
  const all = [join(checkout, '.underbell', 'cli.json'), join('/var/lib/underbell', elsewhere, 'cli.json')];
  return all.find((one) => existsSync(one));
}

/** Nobody is signed in by a file that is not there, or damaged: signing in mends it. */
function readSignIns(path: string | undefined): SignIns {
  if (path === undefined || !existsSync(path)) return none;
  try {
    const found = JSON.parse(readFileSync(path, 'utf8')) as Partial<SignIns & Credentials>;
    if (found.services !== undefined) return { ...none, ...found };
    const { url, key, email } = found;
    if (url === undefined || key === undefined || email === undefined) return none;
    return { services: { [withoutSlash(url)]: { key, email } }, current: withoutSlash(url) };
  } catch (error) {
    if (error instanceof SyntaxError) return none;
    throw error;
  }
}

const lockTries = 250;
const lockPauseMs = 20;

/** Changes the file under a lock, so that two commands at the same moment lose no sign-in of each other. */
function changeSignIns(path: string, change: (signIns: SignIns) => SignIns): void {
  mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
  // The lock is the new file itself: only one process can create it.
  const next = `${path}.new`;
  const descriptor = openLocked(next);
  try {
    writeFileSync(descriptor, JSON.stringify(change(readSignIns(path)), null, 2));
    renameSync(next, path);
  } catch (error) {
    rmSync(next, { force: true });
    throw error;
  } finally {
    closeSync(descriptor);
  }
}

/** @throws {Problem} `INPUT_INVALID` where a command that ended in the middle left its file behind */
function openLocked(path: string): number {
  for (let tries = 0; tries < lockTries; tries++) {
    try {
      return openSync(path, 'wx', 0o600);
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, lockPauseMs);
    }
  }
  throw localProblem('INPUT_INVALID', 'Another command is writing the credentials.', {
    hint: `If no other command is running, delete ${path} and try again.`,
  });
}

/** The service that is spoken to: as told, where somebody signed in last, the demo's, or the usual one. */
export function serviceUrl(): string {
  const told = process.env['UNDERBELL_URL'];
  const data = process.env['UNDERBELL_DATA'] ? readSignIns(demoFile()).current : undefined;
  return withoutSlash(told ?? data ?? readSignIns(ownFile()).current ?? readSignIns(demoFile()).current ?? defaultUrl);
}

/** The sign-in to the service that is spoken to; a key is never shown to another. Nothing where there is none. */
export function readCredentials(): Credentials | undefined {
  const url = serviceUrl();
  const found = readSignIns(ownFile()).services[url] ?? readSignIns(demoFile()).services[url];
  return found && { url, ...found };
}

/** Keeps a sign-in beside those to other services. @returns the path */
export function saveCredentials({ url, ...signIn }: Credentials): string {
  const path = ownFile();
  const current = withoutSlash(url);
  changeSignIns(path, ({ services }) => ({ services: { ...services, [current]: signIn }, current }));
  return path;
}

/** Forgets the sign-in to the service that is spoken to, and no other. */
export function dropCredentials(): void {
  const url = serviceUrl();
  if (readSignIns(ownFile()).services[url] === undefined) return;
  changeSignIns(ownFile(), ({ services, current }) => {
    const { [url]: _gone, ...others } = services;
    return { services: others, ...(current === undefined || current === url ? {} : { current }) };
  });
}
