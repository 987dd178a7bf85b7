import assert from 'node:assert/strict';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import sharp from 'sharp';
import { owner, reader } from '../../service/test/smallHouse.ts';
import { playlist, ScreenHouse } from '../../service/test/screen/screenHouse.ts';
import { commandLineOf } from './underbell.ts';

describe('underbell media', () => {
  let screens: ScreenHouse;
  before(async () => (screens = await ScreenHouse.open()));
  after(() => screens.close());

  const { underbell, fine: fineAs } = commandLineOf(() => screens.small.house);
  const fine = (...args: string[]) => fineAs(owner, ...args);
  const fileOf = (name: string) => join(screens.small.house.folder, name);

  it('puts pictures in, says what is wrong with others, and writes them down again', async () => {
    for (const who of [owner, reader])
      assert.equal((await underbell(who, 'sign-in', who, '--url', screens.url)).code, 0);
    const red = await sharp({ create: { width: 60, height: 40, channels: 3, background: 'red' } })
      .png()
      .toBuffer();
    writeFileSync(fileOf('map.png'), red);
    const made = await fine('media', 'upload', fileOf('map.png'), '--name', 'map', '--title', 'Map of the quays');
    assert.match(made, /Map of the quays \(map\)/);
    assert.match(made, /1 +map.png +image\/png +60 × 40/);
    assert.match(made, /Not used by a playlist/);
    writeFileSync(fileOf('notes.png'), 'These are words.');
    const wrong = await underbell(owner, 'media', 'upload', fileOf('notes.png'), '--name', 'notes');
    assert.deepEqual(
      [wrong.code, /no type that is known/.test(wrong.errors), /PNG/.test(wrong.errors)],
      [2, true, true],
    );
    const blue = await sharp({ create: { width: 80, height: 40, channels: 3, background: 'blue' } })
      .webp()
      .toBuffer();
    writeFileSync(fileOf('map2.webp'), blue);
    assert.match(await fine('media', 'upload', fileOf('map2.webp'), '--name', 'map'), /2 +map2.webp +image\/webp/);
    assert.match(await fine('media', 'list'), /map +Map of the quays +2 +image\/webp +80 × 40/);
    await fine('media', 'download', 'map', '--out', fileOf('newest'));
    assert.deepEqual(readFileSync(fileOf('newest')), blue);
    await fine('media', 'download', 'map', '--file-version', '1', '--out', fileOf('first'));
    assert.deepEqual(readFileSync(fileOf('first')), red);
    assert.match(await fine('media', 'set-title', 'map', 'The quays'), /The quays \(map\)/);
    assert.equal((JSON.parse(await fine('media', 'show', 'map', '--json')) as { title: string }).title, 'The quays');
    assert.equal((await underbell(reader, 'media', 'show', 'map')).code, 4);
    assert.equal((await underbell(owner, 'media', 'download', 'map', '--file-version', '7')).code, 4);
  });

  it('keeps what a playlist shows, under whatever name, until it shows it no more', async () => {
    const file = fileOf('maps.json');
    const slots = [{ name: 'map', shows: { media: 'map' }, seconds: 10 }];
    writeFileSync(file, JSON.stringify(playlist({ name: 'maps', slots })));
    assert.match(await fine('playlist', 'save', file), /1 slot, not published/);
    assert.match(await fine('media', 'show', 'map'), /Used by: playlist maps/);
    const held = await underbell(owner, 'media', 'delete', 'map');
    assert.deepEqual([held.code, /playlist maps/.test(held.errors)], [2, true]);
    assert.match(await fine('media', 'rename', 'map', 'quays'), /Renamed to “quays”/);
    const saved = JSON.parse(await fine('playlist', 'show', 'maps', '--definition')) as {
      slots: { shows: { media: string } }[];
    };
    assert.equal(saved.slots[0]!.shows.media, 'quays');
    await fine('playlist', 'delete', 'maps');
    assert.match(await fine('media', 'delete', 'quays'), /Deleted media “quays”/);
    assert.equal((await underbell(owner, 'media', 'show', 'quays')).code, 4);
  });
});
