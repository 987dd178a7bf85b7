import assert from 'node:assert/strict';
import { existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { owner, reader } from '../../service/test/smallHouse.ts';
import { Device, playlist, ScreenHouse } from '../../service/test/screen/screenHouse.ts';
import { commandLineOf } from './underbell.ts';

describe('underbell screen, screen-group and playlist', () => {
  let screens: ScreenHouse;
  before(async () => (screens = await ScreenHouse.open()));
  after(() => screens.close());

  const { underbell, fine: fineAs } = commandLineOf(() => screens.small.house);
  const fine = (...args: string[]) => fineAs(owner, ...args);

  it('take a device in by its code, and say what is said of it', async () => {
    for (const who of [owner, reader])
      assert.equal((await underbell(who, 'sign-in', who, '--url', screens.url)).code, 0);
    const device = await Device.start(screens.url);
    const { user_code: code } = await device.ask();
    assert.match(await fine('screen', 'lookup', code), /Test 1.0, 1920 × 1080 pixels/);
    const pair = ['screen', 'pair', code, 'quay-1', '--group', 'quays', '--title', 'Quay one'];
    const wrong = await underbell(owner, ...pair, '--attribute', 'quey=Q1');
    assert.deepEqual([wrong.code, /quay/.test(wrong.errors)], [2, true]);
    assert.equal((await underbell(reader, ...pair, '--attribute', 'quay=Q1')).code, 4);
    assert.match(await fine(...pair, '--attribute', 'quay=Q1'), /Screen “Quay one” paired/);
    assert.match(await fine('screen', 'list', '--group', 'quays'), /quay-1 +quays +quay=Q1 +silent/);
    assert.match(await fine('screen', 'list', '--search', 'QUAY ONE'), /quay-1[\s\S]*1 screen; total: 1 silent/);
    assert.match(await fine('screen', 'list', '--search', 'q1', '--limit', '0'), /0 screens of 1; total: 1 silent/);
    assert.doesNotMatch(await fine('screen', 'list', '--offset', '1'), /quay-1/);
    const state = await underbell(owner, 'screen', 'list', '--state', 'silnt');
    assert.deepEqual([state.code, /Did you mean “silent”/.test(state.errors)], [2, true]);
    assert.equal((await underbell(owner, 'screen', 'list', '--limit', 'many')).code, 2);
    assert.match(await fine('screen', 'update', 'quay-1', '--language', 'de'), /quay=Q1, Europe\/Berlin, de/);
    assert.match(await fine('screen', 'attributes'), /least +number +Least cost/);
  });

  it('save a playlist, plan it, publish it and go back', async () => {
    const file = join(screens.small.house.folder, 'quays.json');
    const write = (change: object) => writeFileSync(file, JSON.stringify(playlist(change)));
    write({});
    assert.match(await fine('playlist', 'save', file), /2 slots, not published/);
    assert.match(
      await fine('playlist', 'preview', 'quays', '--group', 'quays'),
      /no permission on report “works”; --grant-missing grants it/,
    );
    const held = await underbell(owner, 'playlist', 'publish', 'quays', '--group', 'quays');
    assert.deepEqual([held.code, /Nothing was published/.test(held.errors)], [2, true]);
    assert.match(await fine('playlist', 'publish', 'quays', '--group', 'quays', '--grant-missing'), /version 1/);
    const given = ['permission', 'grant', 'report', 'works', 'view', '--screen-group', 'quays'];
    assert.match(await fine(...given), /Permission “view” on report “works” granted/);
    assert.equal((await underbell(owner, ...given.slice(0, 4), 'export', '--screen-group', 'quays')).code, 3);
    assert.equal((await underbell(owner, ...given.slice(0, -1), 'quay')).code, 4);
    write({ title: 'Other' });
    await fine('playlist', 'save', file);
    assert.match(
      await fine('playlist', 'publish', 'quays', '--group', 'quays', '--notes', 'Other words'),
      /Other words/,
    );
    assert.match(await fine('playlist', 'rollback', 'quays', '1'), /version 3[\s\S]*Rolled back to version 1/);
    assert.match(await fine('playlist', 'list'), /quays +Other +2 +3 +quays/);
    assert.match(await fine('playlist', 'show', 'quays', '--definition'), /"format": "underbell-playlist\/1"/);
  });

  it('interrupt a group, and end what was begun', async () => {
    const told = await fine('screen-group', 'override', 'quays', 'Storm over {quay}', '--duration', '2h');
    const id = /override (\d+): Storm over/.exec(told)![1]!;
    assert.match(
      (await underbell(owner, 'screen-group', 'override', 'quays', 'x', '--duration', 'soon')).errors,
      /not a valid duration/,
    );
    assert.doesNotMatch(await fine('screen-group', 'end-override', 'quays', id), /override \d/);
    const file = join(screens.small.house.folder, 'slot.json');
    const page = { name: 'storm', shows: { report: 'works', page: 'all' }, seconds: 30 };
    writeFileSync(file, JSON.stringify({ ...page, where: { works: "quay = screen('quay')" } }));
    const interrupt = ['screen-group', 'override', 'quays', '--slot', file];
    const shown = await fine(...interrupt, '--duration', '90m');
    const other = /override (\d+): .*works/.exec(shown)![1]!;
    assert.doesNotMatch(await fine('screen-group', 'end-override', 'quays', other), /override \d/);
    // Words and a slot, neither, a file that is none, and a slot that could be shown nowhere.
    for (const [wrong, code] of [
      [[...interrupt, 'words'], 2],
      [interrupt.slice(0, 3), 2],
      [[...interrupt.slice(0, 4), `${file}.none`], 4],
    ] as const)
      assert.equal((await underbell(owner, ...wrong)).code, code, wrong.join(' '));
    writeFileSync(file, JSON.stringify({ ...page, where: { works: "quay = screen('quey')" } }));
    assert.match((await underbell(owner, ...interrupt)).errors, /quay/);
    assert.doesNotMatch(await fine('screen-group', 'show', 'quays'), /override \d/);
    // Nothing was sent of it: there is no picture, and no empty file.
    const none = join(screens.small.house.folder, 'none.webp');
    const picture = await underbell(owner, 'screen', 'screenshot', 'quay-1', '--out', none);
    assert.deepEqual([picture.code, existsSync(none)], [4, false], picture.errors);
    assert.match(await fine('screen', 'identify', 'quay-1'), /Command sent to “quay-1”/);
    assert.equal((await underbell(reader, 'screen', 'unpair', 'quay-1')).code, 4);
    assert.match(await fine('screen', 'unpair', 'quay-1'), /Screen “Quay one” unpaired/);
    assert.match(await fine('screen', 'show', 'quay-1'), /closed, Unpaired/);
    await fine('screen', 'delete', 'quay-1');
    assert.match(await fine('playlist', 'unpublish', 'quays', '--group', 'quays'), /3  /);
    await fine('playlist', 'delete', 'quays');
    await fine('screen-group', 'delete', 'quays');
  });
});
