import { existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Whom the command line speaks for, and with which installation. */
export interface Credentials {
  readonly url: string;
  readonly key: string;
  readonly email: string;
}

/** The folder that holds all packages, from wherever in it this runs. */
function findCheckout(folder: string): string {
  const above = dirname(folder);
  return existsSync(join(folder, 'package-lock.json')) || above === folder ? folder : findCheckout(above);
}
const checkout = findCheckout(dirname(fileURLToPath(import.meta.url)));

/** Where credentials may be, first found first used: as told, the data folder's, the checkout's, the home folder's. */
function places(): string[] {
  const told = process.env['UNDERBELL_CREDENTIALS'];
  if (told) return [told];
  const data = process.env['UNDERBELL_DATA'];
  if (data) return [join(data, 'cli.json')];
  const elsewhere = join(
    '/var/lib/underbell',
    createHash('sha256').update(checkout).digest('hex').slice(0, 8),
    'cli.json',
  );
  const home = join(process.env['XDG_CONFIG_HOME'] ?? join(homedir(), '.config'), 'underbell', 'session.json');
  return [join(checkout, '.underbell', 'cli.json'), elsewhere, home];
}

/** Nothing where nobody is signed in; a damaged file is nobody as well, and signing in mends it. */
export function readCredentials(): Credentials | undefined {
  const path = places().find((one) => existsSync(one));
  if (path === undefined) return undefined;
  try {
    const { url, key, email } = JSON.parse(readFileSync(path, 'utf8')) as Partial<Credentials>;
    return url !== undefined && key !== undefined && email !== undefined ? { url, key, email } : undefined;
  } catch (error) {
    if (error instanceof SyntaxError) return undefined;
    throw error;
  }
}

/** Keeps credentials where they were found, or in the last place. @returns the path */
export function saveCredentials(credentials: Credentials): string {
  const all = places();
  const path = all.find((one) => existsSync(one)) ?? all.at(-1)!;
  mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
  writeFileSync(`${path}.new`, JSON.stringify(credentials, null, 2), { mode: 0o600 });
  renameSync(`${path}.new`, path);
  return path;
}

export function dropCredentials(): void {
  const path = places().find((one) => existsSync(one));
  if (path) rmSync(path);
}
