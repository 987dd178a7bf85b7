import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('../../../../', import.meta.url));

/** What lies beside a program that was built in one file, as JSON: what it was built of. */
export interface BundleNote {
  /** Paths of its sources below the root. */
  readonly inputs: readonly string[];
  readonly stamp: string;
}

/** Changes when the name or a byte of any of these files does. @param paths - below the root */
export function stampOfFiles(paths: readonly string[]): string {
  const hash = createHash('sha256');
  for (const path of paths) hash.update(`${path}\0`).update(readFileSync(root + path));
  return hash.digest('hex');
}

const noteOf = (bundle: URL) => new URL(bundle.href.replace(/\.mjs$/, '.json'));

/** Whether a program lies there, built of the sources as they are now. An old one is never run: it would not do what they say. */
export function isFreshBundle(bundle: URL): boolean {
  try {
    const { inputs, stamp } = JSON.parse(readFileSync(noteOf(bundle), 'utf8')) as BundleNote;
    return stampOfFiles(inputs) === stamp;
  } catch (error) {
    // Not built, or a source is gone.
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return false;
    throw error;
  }
}
