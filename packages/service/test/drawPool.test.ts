import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { PageScene } from '@underbell/core/render';
import { drawPdf } from '../src/view/draw.ts';
import { openDrawer, type Drawer } from '../src/view/drawPool.ts';

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

describe('drawing threads', () => {
  let pool: Drawer;
  before(() => {
    pool = openDrawer(1_000);
  });
  after(() => pool.close());

  it('draw many pages side by side, to the same bytes as one thread', async () => {
    const texts = Array.from({ length: 6 }, (_, i) => `Copy ${i}`);
    const drawn = await Promise.all(texts.map((text) => pool.draw(scene(text), 'pdf')));
    for (const [i, text] of texts.entries()) {
      assert.equal(Buffer.compare(drawn[i]!.bytes, await drawPdf(scene(text))), 0, text);
      assert.ok(drawn[i]!.ms > 0, 'it tells how long it took');
    }
  });

  it('say why a page cannot be drawn, and go on with the next', async () => {
    await assert.rejects(
      pool.draw({ ...scene('x'), page: { name: 'no', title: 'No', figures: [{}] } } as never, 'pdf'),
    );
    assert.ok((await pool.draw(scene('after'), 'pdf')).bytes.length > 1_000, 'a page');
  });

  it('are not started for a few pages', async () => {
    const few = openDrawer(5);
    assert.equal(few.width, 1);
    assert.equal(Buffer.compare((await few.draw(scene('x'), 'pdf')).bytes, await drawPdf(scene('x'))), 0);
    await few.close();
  });
});
