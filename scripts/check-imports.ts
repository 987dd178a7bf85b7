import { readFileSync, readdirSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { root } from './install.mjs';

/** Which packages of ours each package may import; everything else goes over HTTP. */
const allowed: Record<string, readonly string[]> = {
  core: ['core'],
  service: ['service', 'core'],
  viewer: ['viewer', 'core'],
  console: ['console', 'core'],
  cli: ['cli', 'core'],
  element: ['element'],
  standins: ['standins'],
};
/** core computes: no database, no HTTP, no file system, no Vue. */
const forbiddenInCore = /^(node:(fs|http|https|net|child_process|os|timers)|pg|koa|sequelize|vue|nodemailer)(\/|$)/;
/** Inside the service: routes -> usecases -> store -> platform. */
const layers = ['platform', 'store', 'usecases', 'routes'];

const importPattern = /(?:from|import)\s*\(?\s*['"]([^'"]+)['"]/g;

function filesBelow(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    if (entry.name === 'node_modules' || entry.name === 'dist') return [];
    const path = join(folder, entry.name);
    return entry.isDirectory() ? filesBelow(path) : /\.(ts|vue)$/.test(entry.name) ? [path] : [];
  });
}

function packageOf(path: string): string | undefined {
  return /^packages\/([^/]+)\/src\//.exec(relative(root, path))?.[1];
}

function targetPackage(file: string, specifier: string): string | undefined {
  const own = /^@underbell\/([^/]+)/.exec(specifier)?.[1];
  if (own) return own;
  return specifier.startsWith('.') ? packageOf(resolve(dirname(file), specifier)) : undefined;
}

function layerOf(path: string): number {
  const name = path.split('/').at(-1)!.replace(/\.ts$/, '');
  if (path.includes('/service/src/platform/')) return 0;
  return layers.findIndex((layer) => name.toLowerCase().endsWith(layer));
}

function complaint(file: string, specifier: string): string | undefined {
  const from = packageOf(file)!;
  const to = targetPackage(file, specifier);
  if (to !== undefined && !allowed[from]!.includes(to)) return `${from} must not import ${to}`;
  if (from === 'core' && forbiddenInCore.test(specifier)) return 'core computes only';
  if (from !== 'service' || !specifier.startsWith('.')) return undefined;
  const [own, other] = [layerOf(file), layerOf(resolve(dirname(file), specifier))];
  return own >= 0 && other > own ? `${layers[own]} must not import ${layers[other]}` : undefined;
}

const complaints = Object.keys(allowed).flatMap((name) =>
  filesBelow(join(root, 'packages', name, 'src')).flatMap((file) =>
    [...readFileSync(file, 'utf8').matchAll(importPattern)].flatMap(([, specifier]) => {
      const said = complaint(file, specifier!);
      return said ? [`${relative(root, file)}: ${specifier}: ${said}`] : [];
    }),
  ),
);
for (const one of complaints) process.stderr.write(`${one}\n`);
process.stdout.write(
  complaints.length === 0 ? 'import directions: fine\n' : `import directions: ${complaints.length} wrong\n`,
);
process.exitCode = complaints.length === 0 ? 0 : 1;
