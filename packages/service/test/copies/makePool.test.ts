import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { strFromU8, unzipSync } from 'fflate';
import type { CsvStyle } from '@underbell/core/burst';
import { isRefusal } from '@underbell/core/refusal';
import type { PageScene } from '@underbell/core/render';
import { drawPdf } from '../../src/render/index.ts';
import { openMakePool, type MakePool } from '../../src/copies/pool.ts';

const scene = (text: string): PageScene =>
  ({
    title: 'Quays',
    page: {
      name: 'one',
      title: 'One',
      figures: [{ kind: 'text', name: 'text', title: 'Text', text, at: { row: 1, column: 1, width: 12, height: 2 } }],
    },
    results: new Map(),
    taste: { locale: 'en-GB', timeZone: 'UTC' },
    limits: ['quay is Q017'],
    parameters: {},
    dataAsOf: 0,
  }) as unknown as PageScene;

describe('threads that make files', () => {
  const folder = mkdtempSync(join(tmpdir(), 'underbell-make-'));
  const to = (name: string) => join(folder, name);
  let pool: MakePool;
  before(() => {
    pool = openMakePool(1_000, 'normal');
  });
  after(async () => {
    await pool.close();
    rmSync(folder, { recursive: true });
  });
  const page = (text: string, name: string) =>
    ({ kind: 'page', format: 'pdf', scene: scene(text), to: to(name) }) as const;

  it('draw many pages side by side, to the same bytes as one thread', async () => {
    const texts = Array.from({ length: 6 }, (_, i) => `Copy ${i}`);
    const made = await Promise.all(texts.map((text) => pool.make(page(text, `${text}.pdf`))));
    for (const [i, text] of texts.entries()) {
      const bytes = readFileSync(to(`${text}.pdf`));
      assert.equal(Buffer.compare(bytes, await drawPdf(scene(text))), 0, text);
      const sha256 = createHash('sha256').update(bytes).digest('hex');
      assert.deepEqual([made[i]!.sizeBytes, made[i]!.sha256], [bytes.length, sha256]);
      assert.ok(made[i]!.ms > 0, 'it tells how long it took');
    }
  });

  it('write workbooks and texts of the rows that were cut', async () => {
    writeFileSync(to('rows'), 'Q017,=1+1,3\n"Q,1","",\n');
    const columns = [
      { name: 'quay', type: 'text' },
      { name: 'note', type: 'text' },
      { name: 'passengers', type: 'integer' },
    ] as const;
    const rows = { rows: to('rows'), columns };
    await pool.make({
      kind: 'text',
      format: 'csv',
      timeZone: 'UTC',
      style: { separator: 'semicolon' },
      ...rows,
      to: to('a.csv'),
    });
    assert.equal(readFileSync(to('a.csv'), 'utf8'), 'quay;note;passengers\r\nQ017;\'=1+1;3\r\n"Q,1";"";\r\n');
    const about = { title: 'Quays', notes: ['quay is Q017'] };
    await pool.make({ kind: 'book', about, title: 'Rows', figures: [], results: new Map(), ...rows, to: to('a.xlsx') });
    const parts = unzipSync(readFileSync(to('a.xlsx')));
    assert.match(strFromU8(parts['xl/worksheets/sheet1.xml']!), /Q,1/);
  });

  it('write CSV in the encoding that was chosen, and refuse what it cannot hold', async () => {
    writeFileSync(to('names'), 'Q017,Zoë\nQ018,Łódź\n');
    const columns = [
      { name: 'quay', type: 'text' },
      { name: 'name', type: 'text' },
    ] as const;
    const write = (style: CsvStyle, name: string) =>
      pool.make({ kind: 'text', format: 'csv', timeZone: 'UTC', style, rows: to('names'), columns, to: to(name) });
    await write({ encoding: 'utf-16', separator: 'tab' }, 'wide.csv');
    assert.equal(readFileSync(to('wide.csv'), 'utf16le'), '\ufeffquay\tname\r\nQ017\tZoë\r\nQ018\tŁódź\r\n');
    const error: unknown = await write({ encoding: 'windows-1252' }, 'west.csv').catch((thrown: unknown) => thrown);
    assert.ok(isRefusal(error, 'VALUE_INVALID'), String(error));
    assert.equal(error.message, '“Ł” (U+0141) cannot be written in windows-1252.');
    writeFileSync(to('names'), 'Q017,Zoë\n');
    await write({ encoding: 'windows-1252' }, 'west.csv');
    assert.deepEqual([...readFileSync(to('west.csv'))].slice(-5), [0x5a, 0x6f, 0xeb, 0x0d, 0x0a]);
  });

  it('say why a file cannot be made, and go on with the next', async () => {
    const odd = { ...scene('x'), page: { name: 'no', title: 'No', figures: [{}] } } as never;
    await assert.rejects(pool.make({ kind: 'page', format: 'pdf', scene: odd, to: to('odd.pdf') }));
    // A device without room, where the system has one: the refusal keeps its code on the way.
    if (existsSync('/dev/full')) await assert.rejects(pool.make({ ...page('x', 'x'), to: '/dev/full' }), isFull);
    await pool.make(page('after', 'after.pdf'));
    assert.ok(readFileSync(to('after.pdf')).length > 1_000, 'a page');
  });

  it('are not started for a few files', async () => {
    const few = openMakePool(5, 'normal');
    assert.equal(few.width, 1);
    await few.make(page('x', 'few.pdf'));
    assert.equal(Buffer.compare(readFileSync(to('few.pdf')), await drawPdf(scene('x'))), 0);
    await few.close();
  });
});

const isFull = (error: unknown) => isRefusal(error, 'DISK_FULL');
