import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, describe, it } from 'node:test';
import fc from 'fast-check';
import { Zip, zipSync } from 'fflate';
import { checkArchiveBytes, makeChecked } from '../../src/readback/index.ts';
import { Refusal } from '../../src/refusal/index.ts';
import { packParts } from '../../src/workbook/index.ts';
import { PartWriter } from '../../src/workbook/sheetWriter.ts';
import { casesOf } from '../cases.ts';

const isDamage = { code: 'FILE_DAMAGED' };
const folder = mkdtempSync(join(tmpdir(), 'underbell-archive-'));
after(() => rmSync(folder, { recursive: true, force: true }));

/** The archives that a program of others does not open. */
const refusedByUnzip = (paths: readonly string[]) =>
  paths.filter((path) => spawnSync('unzip', ['-tq', path]).status !== 0);

describe('every archive', () => {
  it('is whole whatever its parts’ lengths about the ends of pieces and blocks, for a program of others too', async () => {
    // Pieces of 65,536 characters go to the packer, which packs blocks of 262,144 bytes; a last piece may be empty.
    const about = [65_536, 131_072, 262_144, 524_288].flatMap((edge) =>
      Array.from({ length: 41 }, (_, i) => edge - 20 + i),
    );
    let tried = 0;
    const seen: string[] = [];
    for (const length of [0, 1, 2, ...about]) {
      const content = Buffer.alloc(length, 'row ');
      const path = join(folder, `${tried++}.zip`);
      const bytes = packParts([
        ['a.xml', content],
        ['b.xml', Buffer.alloc(0)],
        ['c.xml', content.subarray(7)],
      ]);
      await checkArchiveBytes(bytes);
      writeFileSync(path, bytes);
      seen.push(path);
    }
    assert.deepEqual(refusedByUnzip(seen), []);
    assert.ok(tried > 150);
  });

  it('is whole whatever is written last, also nothing', async () => {
    const seen: string[] = [];
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.oneof(fc.constantFrom(0, 1, 65_535, 65_536, 65_537, 262_144), fc.nat(90_000)), { maxLength: 6 }),
        async (lengths) => {
          const pieces: Uint8Array[] = [];
          const zip = new Zip((_, bytes) => void pieces.push(bytes));
          const part = new PartWriter(zip, 'sheet.xml');
          for (const length of lengths) part.write('x'.repeat(length));
          part.end();
          zip.end();
          const bytes = Buffer.concat(pieces);
          await checkArchiveBytes(bytes);
          const path = join(folder, `pieces-${seen.length}.zip`);
          writeFileSync(path, bytes);
          seen.push(path);
        },
      ),
      casesOf(300, 31),
    );
    assert.deepEqual(refusedByUnzip(seen), []);
  });

  it('is refused with a byte changed or missing, wherever that is, unless nothing reads the byte', async () => {
    const parts = { 'a.xml': Buffer.from('<a>one row</a>'.repeat(40)), 'b.txt': Buffer.from('two') };
    const whole = Buffer.from(zipSync({ 'a.xml': parts['a.xml'], 'b.txt': [parts['b.txt'], { level: 0 }] }));
    await checkArchiveBytes(whole);
    const seen = { refused: 0, passed: 0 };
    await fc.assert(
      fc.asyncProperty(
        fc.nat(whole.length - 1),
        fc.integer({ min: 1, max: 255 }),
        fc.boolean(),
        async (at, by, isCut) => {
          const bytes = isCut ? Buffer.from(whole.subarray(0, at)) : Buffer.from(whole);
          if (!isCut) bytes[at]! ^= by;
          const error: unknown = await checkArchiveBytes(bytes).then(
            () => undefined,
            (cause: unknown) => cause,
          );
          if (error !== undefined) {
            assert.ok(error instanceof Refusal, String(error));
            assert.equal(error.code, 'FILE_DAMAGED');
            seen.refused++;
            return;
          }
          assert.equal(isCut, false);
          seen.passed++;
          // What is read of it is what was written.
          const path = join(folder, 'changed.zip');
          writeFileSync(path, bytes);
          const found = spawnSync('unzip', ['-p', path], { encoding: 'buffer' }).stdout;
          assert.deepEqual(found, Buffer.concat(Object.values(parts)));
        },
      ),
      casesOf(400, 32),
    );
    process.stdout.write(`archives changed: ${seen.refused} refused, ${seen.passed} passed with the same content\n`);
    assert.ok(seen.refused > seen.passed);
  });
});

describe('a file that is read back', () => {
  const broken = () => {
    throw new Refusal('FILE_DAMAGED', 'The checksum is wrong.', {});
  };

  it('is made once more when it is damaged, and no third time', async () => {
    let made = 0;
    const once = await makeChecked(
      () => ++made,
      (count) => (count === 1 ? broken() : undefined),
    );
    assert.equal(once, 2);
    await assert.rejects(
      makeChecked(() => ++made, broken),
      isDamage,
    );
    assert.equal(made, 4);
  });

  it('is not made again for another fault', async () => {
    let made = 0;
    const check = () => {
      throw new TypeError('another fault');
    };
    await assert.rejects(
      makeChecked(() => ++made, check),
      TypeError,
    );
    assert.equal(made, 1);
  });
});
