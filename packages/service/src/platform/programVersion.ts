import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const packages = fileURLToPath(new URL('../../../', import.meta.url));

function filesBelow(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    return entry.isDirectory() ? filesBelow(path) : [path];
  });
}

let version: string | undefined;

/** A name for the program as it is: equal on every host that runs it, another when anything in it has changed. */
export function programVersion(): string {
  if (version !== undefined) return version;
  const hash = createHash('sha256');
  for (const folder of ['core/src', 'service/src'])
    for (const path of filesBelow(join(packages, folder)).sort())
      hash.update(`${path.slice(packages.length)}\0`).update(readFileSync(path));
  version = hash.digest('base64url').slice(0, 16);
  return version;
}
