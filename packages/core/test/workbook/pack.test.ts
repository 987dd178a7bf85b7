import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { unzipSync, Zip } from 'fflate';
import { PackedPart, packParts } from '../../src/workbook/pack.ts';
import { casesOf } from '../cases.ts';

describe('an archive', () => {
  it('holds every part as it was given, in whatever pieces it came', () => {
    // Lengths about those at which a block is packed, and bytes that repeat as markup does, or do not.
    const content = fc
      .tuple(fc.integer({ min: 0, max: 700_000 }), fc.integer({ min: 1, max: 255 }), fc.boolean())
      .map(([length, step, isEven]) =>
        Uint8Array.from({ length }, (_, i) => (isEven ? (i * step) & 0x3f : (i * i * step + (i >> 3)) & 0xff)),
      );
    fc.assert(
      fc.property(content, fc.integer({ min: 1, max: 300_000 }), (bytes, piece) => {
        const pieces: Uint8Array[] = [];
        const zip = new Zip((error, packed) => {
          assert.equal(error, null);
          pieces.push(packed);
        });
        const part = new PackedPart('in/pieces.xml');
        zip.add(part);
        for (let at = 0; at < bytes.length; at += piece) part.push(bytes.slice(at, at + piece), false);
        part.push(new Uint8Array(0), true);
        zip.end();
        const found = unzipSync(Buffer.concat(pieces));
        assert.deepEqual(Object.keys(found), ['in/pieces.xml']);
        assert.ok(Buffer.from(bytes).equals(found['in/pieces.xml']!));
      }),
      casesOf(25, 5),
    );
  });

  it('is the same for the same parts, and names them in their order', () => {
    const parts: [string, Uint8Array][] = [
      ['[Content_Types].xml', Buffer.from('<Types/>')],
      ['xl/häfen.xml', Buffer.from('<a>Ostle – Zoë</a>'.repeat(9_000))],
      ['empty', new Uint8Array(0)],
    ];
    const [one, two] = [packParts(parts), packParts(parts)];
    assert.ok(one.equals(two));
    assert.deepEqual(
      Object.entries(unzipSync(one)).map(([name, content]) => [name, content.length]),
      parts.map(([name, content]) => [name, content.length]),
    );
    assert.ok(one.length < 5_000, 'what repeats takes little room');
  });

  it('says of each part what it should hold, so that a damaged one is noticed', () => {
    const packed = packParts([['a.xml', Buffer.from('<a/>'.repeat(1_000))]]);
    const at = packed.indexOf(Buffer.from([0x50, 0x4b, 0x01, 0x02]));
    assert.equal(packed.readUInt32LE(at + 24), 4_000, 'its length');
    assert.notEqual(packed.readUInt32LE(at + 16), 0, 'its check sum');
  });
});
