import assert from 'node:assert/strict';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { CopyBuffer } from '../../src/copies/copyBuffer.ts';
import { RowFrames } from '../../src/source/rowFrames.ts';

const message = (kind: string, body: Buffer) => {
  const head = Buffer.alloc(5);
  head.write(kind, 'latin1');
  head.writeUInt32BE(body.length + 4, 1);
  return Buffer.concat([head, body]);
};

describe('RowFrames', () => {
  it('finds every row, in pieces of any length, and hands on what follows', (t) => {
    const row = fc.oneof(
      fc.constantFrom('a,1\n', '"two\nlines",x\n', '\n', 'ß🦆\n'),
      fc.string({ maxLength: 90 }).map((text) => `${text}\n`),
    );
    let seen = 0;
    fc.assert(
      fc.property(
        fc.array(row, { maxLength: 30 }),
        fc.array(fc.integer({ min: 1, max: 40 }), { maxLength: 200 }),
        fc.integer({ min: 1, max: 64 }),
        (rows, pieces, roomBytes) => {
          const after = Buffer.concat([message('c', Buffer.alloc(0)), message('C', Buffer.from('COPY 3\0'))]);
          const sent = Buffer.concat([
            message('H', Buffer.from([0, 0, 1, 0, 0])),
            ...rows.flatMap((one, i) => [
              ...(i % 5 === 4 ? [message('N', Buffer.from('a notice'))] : []),
              message('d', Buffer.from(one)),
            ]),
            after,
          ]);
          const found: string[] = [];
          const frames = new RowFrames(Buffer.alloc(roomBytes), (data, start, end) =>
            found.push(data.toString('utf8', start, end)),
          );
          const rest: Buffer[] = [];
          let at = 0;
          for (const length of [...pieces, sent.length]) {
            const piece = sent.subarray(at, at + length);
            at += piece.length;
            if (rest.length > 0) rest.push(piece);
            else {
              const left = frames.push(piece);
              if (left) rest.push(left);
            }
          }
          assert.deepEqual(found, rows);
          assert.deepEqual(Buffer.concat(rest), after);
          seen += rows.length;
        },
      ),
      { numRuns: 1_000, seed: 2027 },
    );
    t.diagnostic(`1000 streams with ${seen} rows, seed 2027`);
  });

  it('hands on a refusal of the server with everything after it', () => {
    const refusal = Buffer.concat([message('E', Buffer.from('SERROR\0\0')), message('Z', Buffer.from('E'))]);
    const frames = new RowFrames(Buffer.alloc(16), () => assert.fail('there is no row'));
    assert.deepEqual(frames.push(refusal), refusal);
  });
});

describe('CopyBuffer', () => {
  it('writes every row to its cut with its line’s end, whatever is held and however long a row is', (t) => {
    const folder = mkdtempSync(join(tmpdir(), 'underbell-spool-'));
    const pieces = fc.array(fc.tuple(fc.nat(6), fc.integer({ min: 1, max: 9_000 }), fc.boolean()), { maxLength: 40 });
    let flushed = 0;
    try {
      fc.assert(
        fc.property(pieces, (all) => {
          const paths = Array.from({ length: 7 }, (_, i) => join(folder, `${i}.csv`));
          // Twelve parts of one kilobyte: nearly every piece finds them used up.
          const buffer = new CopyBuffer(paths, { heading: 'head\r\n', lineEnd: '\r\n' }, 12 * 1024);
          const expected = paths.map(() => 'head\r\n');
          for (const [i, [cut, length, isInRoom]] of all.entries()) {
            const text = String.fromCharCode(97 + (i % 26)).repeat(length);
            const data = isInRoom ? buffer.room : Buffer.alloc(length + 7);
            data.write(text, 7);
            buffer.take(cut, data, 7, 7 + length);
            expected[cut] += `${text}\r\n`;
          }
          buffer.flush();
          for (const [i, path] of paths.entries()) assert.ok(readFileSync(path, 'utf8') === expected[i], `cut ${i}`);
          flushed += all.length;
        }),
        { numRuns: 200, seed: 2028 },
      );
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
    t.diagnostic(`200 spools with ${flushed} pieces, seed 2028`);
  });
});
