import assert from 'node:assert/strict';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, describe, it } from 'node:test';
import { pathToFileURL } from 'node:url';
import { isFreshBundle, stampOfFiles } from '../../src/platform/bundle.ts';

describe('a program that was built in one file', () => {
  const folder = mkdtempSync(join(tmpdir(), 'underbell-bundle-'));
  after(() => rmSync(folder, { recursive: true }));
  const bundle = pathToFileURL(join(folder, 'program.mjs'));
  const inputs = ['package.json', 'README.md'];
  const note = (value: object) => writeFileSync(join(folder, 'program.json'), JSON.stringify(value));

  it('is run only where its sources are still those that it was built of', () => {
    assert.equal(isFreshBundle(bundle), false, 'never built');
    note({ inputs, stamp: stampOfFiles(inputs) });
    assert.equal(isFreshBundle(bundle), true);
    note({ inputs, stamp: stampOfFiles([...inputs].reverse()) });
    assert.equal(isFreshBundle(bundle), false, 'another stamp');
    note({ inputs: [...inputs, 'gone.ts'], stamp: stampOfFiles(inputs) });
    assert.equal(isFreshBundle(bundle), false, 'a source is gone');
    writeFileSync(join(folder, 'program.json'), '{');
    assert.throws(() => isFreshBundle(bundle), SyntaxError, 'a damaged note is said, not passed over');
  });
});
