import assert from 'node:assert/strict';
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, normalize } from 'node:path';
import { describe, it } from 'node:test';
import { fileURLToPath } from 'node:url';
import { kindInfo, thingKinds } from '@underbell/core/access';
import { capabilities } from '../../src/capabilities.ts';
import { routes } from '../../src/server.ts';

const source = fileURLToPath(new URL('../../src', import.meta.url));
const page = readFileSync(new URL('../../../../docs/architecture.md', import.meta.url), 'utf8');

/** Files that a file imports, now or later; an index stands for all that it gives on. */
function importsOf(path: string): Set<string> {
  const text = readFileSync(join(source, path), 'utf8');
  const found = [...text.matchAll(/(?:from|import\()\s*'(\.[^']+\.ts)'/g)].map(([, to]) =>
    normalize(join(dirname(path), to!)),
  );
  return new Set(found.flatMap((one) => (one.endsWith('/index.ts') ? [one, ...importsOf(one)] : [one])));
}

/** The files of each request path, as the page lists them. */
function pathsOn(text: string): Map<string, string[]> {
  const part = text.slice(text.indexOf('## Request paths'), text.indexOf('## Adding a capability'));
  return new Map(
    part
      .split('\n### ')
      .slice(1)
      .map((part) => [part.split('\n')[0]!, [...part.matchAll(/^\d+\. `([\w/]+\.ts)`/gm)].map(([, path]) => path!)]),
  );
}

/** Files that none above them uses, or that are not there. */
function astray(files: readonly string[]): string[] {
  return files.filter((path, i) => {
    if (!existsSync(join(source, path))) return true;
    return i > 0 && !files.slice(0, i).some((above) => importsOf(above).has(path));
  });
}

describe('the architecture, as its page describes it', () => {
  it('has four request paths, each of whose files is used by one above it', () => {
    const paths = pathsOn(page);
    assert.deepEqual([...paths.keys()], ['Publish', 'View', 'Token', 'Burst']);
    for (const [name, files] of paths) {
      assert.ok(files.length >= 4, name);
      assert.deepEqual(astray(files), [], name);
    }
    // The walk can fail.
    assert.deepEqual(astray(['report/routes.ts', 'burst/send.ts', 'report/none.ts']), [
      'burst/send.ts',
      'report/none.ts',
    ]);
  });

  it('lists its capabilities in their order, each in a folder of its name', () => {
    const names = capabilities.map((one) => one.name);
    const listed = /use each other:\n\n([\s\S]*?)\n\nOne uses/.exec(page)![1]!.split(/,\s+/);
    assert.deepEqual(listed, names);
    const folders = readdirSync(source).filter(
      (one) => statSync(join(source, one)).isDirectory() && one !== 'platform',
    );
    assert.deepEqual(folders.sort(), [...names].sort());
  });

  it('declares every kind of resource once, with the routes that all of them have', () => {
    const declared = capabilities.flatMap((one) => one.things ?? []).map((one) => one.kind);
    assert.deepEqual([...declared].sort(), [...thingKinds].sort());
    for (const kind of thingKinds) {
      const { plural, fixedName } = kindInfo(kind);
      const has = (method: string, end: RegExp) =>
        routes.some((one) => one.method === method && end.test(one.path.replace(`/api/v1/${plural}`, '')));
      assert.ok(has('delete', /^\/:\w+$/), `${kind} can be deleted`);
      assert.equal(has('put', /^\/:\w+\/name$/) && fixedName === undefined, fixedName === undefined, kind);
      if (kind !== 'folder') assert.ok(has('get', /^\/:\w+$/), `${kind} can be shown`);
    }
  });
});
