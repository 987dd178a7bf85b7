import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import sharp from 'sharp';
import type { PlaylistPlan, ShownWords, SlotHandle } from '@underbell/core/screen';
import type { ViewResponse } from '@underbell/core/view';
import { author, owner, root, rowsOf, someWorks } from '../smallHouse.ts';
import { playlist, ScreenHouse, workSlot, type Device } from './screenHouse.ts';

const board = (change: object = {}) => ({
  format: 'underbell-board/1',
  name: 'harbour',
  title: 'Harbour',
  figures: [
    { name: 'how-many', report: 'works', page: 'all', figure: 'count', at: { column: 1, row: 1, width: 4, height: 3 } },
    {
      name: 'dear',
      report: 'works',
      page: 'all',
      figure: 'rows',
      where: { works: 'cost >= 200' },
      at: { column: 1, row: 4, width: 12, height: 8 },
    },
  ],
  ...change,
});
const boardSlot = (change: object = {}) => workSlot({ name: 'board', shows: { board: 'harbour' }, ...change });
const words = (values: object, change: object = {}) => ({
  name: 'words',
  shows: { text: 'Works at {quay}: {works}', values },
  seconds: 10,
  ...change,
});
const count = { report: 'works', page: 'all', figure: 'count', where: { works: "quay = screen('quay')" } };

describe('slots of boards, pictures and words', () => {
  let screens: ScreenHouse;
  let first: Device;
  let second: Device;
  before(async () => {
    screens = await ScreenHouse.open();
    first = await screens.pair('one', { quay: 'Q1' });
    second = await screens.pair('two', { quay: 'Q2' });
    await saveBoard();
  });
  after(() => screens.close());

  const saveBoard = (change: object = {}) =>
    screens.small.fine('PUT', '/api/v1/boards', { definition: board(change) }, owner);
  const put = (bytes: Buffer, name = 'map') =>
    screens.small.house.call('PUT', `/api/v1/media/${name}?file=map.png`, { as: owner, csv: bytes });
  const plan = async (name = 'quays') => {
    const targets = [{ kind: 'screen-group', name: 'quays' }];
    const answer = await screens.call('POST', `/api/v1/playlists/${name}/preview`, owner, { targets });
    return answer.body as unknown as PlaylistPlan;
  };
  async function play(slots: object[], name = 'quays'): Promise<void> {
    const saved = await screens.save(playlist({ name, slots }));
    assert.equal(saved.status, 200, saved.text);
    const published = await screens.publish(name);
    assert.equal(published.status, 200, published.text);
  }
  const handle = async (device: Device, name: string): Promise<SlotHandle> =>
    (await device.program()).stretches[0]!.slots.find((one) => one.name === name)!.as;
  const ask = async <T>(device: Device, name: string) => {
    const { status, body } = await device.slot((await handle(device, name)).id);
    assert.equal(status, 200, JSON.stringify(body));
    return body as unknown as T;
  };

  it('are checked when they are saved: what is named, whose it is to see, and what is set for it', async () => {
    const wrong: readonly (readonly [object, string, string])[] = [
      [boardSlot({ shows: { board: 'harbor' } }), 'NOT_FOUND', '/slots/0/shows/board'],
      [boardSlot({ where: { work: "quay = 'Q1'" } }), 'INPUT_INVALID', '/slots/0/where/work'],
      [boardSlot({ where: { works: "quey = 'Q1'" } }), 'FILTER_UNKNOWN_COLUMN', '/slots/0/where/works'],
      [boardSlot({ parameters: { least: '5' } }), 'PLAYLIST_INVALID', '/slots/0/parameters'],
      [{ name: 'map', shows: { media: 'map' }, seconds: 9 }, 'NOT_FOUND', '/slots/0/shows/media'],
      [{ name: 'map', shows: { media: 'map', report: 'works' }, seconds: 9 }, 'PLAYLIST_INVALID', '/slots/0/shows'],
      [{ name: 'map', shows: { text: 'a', version: 2 }, seconds: 9 }, 'PLAYLIST_INVALID', '/slots/0/shows'],
      [words({ works: { ...count, figure: 'rows' } }), 'PLAYLIST_INVALID', '/slots/0/shows/values/works/page'],
      [words({ works: { ...count, report: 'other' } }), 'NOT_FOUND', '/slots/0/shows/values/works/report'],
      [words({ unsaid: count }), 'PLAYLIST_INVALID', '/slots/0/shows/values/unsaid'],
      [words({ quay: count }, {}), 'PLAYLIST_INVALID', '/slots/0/shows/values/quay'],
      [
        words({ works: { ...count, where: { works: "quay = screen('quey')" } } }),
        'VALUE_UNBOUND',
        '/slots/0/shows/values/works/where/works',
      ],
      [words({ works: count }, { where: { works: "quay = 'Q1'" } }), 'PLAYLIST_INVALID', '/slots/0/where'],
    ];
    for (const [slot, code, pointer] of wrong) {
      const answer = await screens.save(playlist({ name: 'wrong', slots: [slot] }));
      const { pointer: at } = answer.body as { pointer?: string };
      assert.deepEqual([answer.body.code, at?.startsWith(pointer)], [code, true], `${pointer} ${answer.text}`);
    }
    // What is not theirs to see they put onto no wall.
    const grant = { holder: { kind: 'person', name: author }, thing: { kind: 'playlist', name: '*' }, level: 'own' };
    await screens.small.fine('PUT', '/api/v1/permissions', grant, root);
    await put(
      await sharp({ create: { width: 8, height: 8, channels: 3, background: 'red' } })
        .png()
        .toBuffer(),
    );
    const own = (slot: object) => screens.save(playlist({ name: 'mine', slots: [slot] }), author);
    assert.equal((await own({ name: 'map', shows: { media: 'map' }, seconds: 9 })).body.code, 'NOT_FOUND');
    assert.equal((await own({ name: 'b', shows: { board: 'harbour' }, seconds: 9 })).body.code, 'NOT_FOUND');
  });

  it('show a board with each screen’s own rows alone, under the board’s own conditions too', async () => {
    await play([boardSlot()]);
    for (const [device, quay] of [
      [first, 'Q1'],
      [second, 'Q2'],
    ] as const) {
      const answer = await ask<ViewResponse>(device, 'board');
      const rows = rowsOf({ body: answer } as never, 'dear');
      const expected = someWorks.filter((one) => one.quay === quay && one.cost >= 200).map((one) => one.id);
      assert.deepEqual(
        rows.map((row) => Number(row[0])).sort((a, b) => a - b),
        expected,
      );
      assert.equal(Number(rowsOf({ body: answer } as never, 'how-many')[0]![0]), 10);
      assert.equal(answer.taste.timeZone, 'Europe/Berlin');
    }
    // It follows the board; what somebody puts on it that the screens were not given says so in its place.
    await saveBoard({ title: 'The harbour', figures: [board().figures[0]] });
    const after = await ask<ViewResponse>(first, 'board');
    assert.deepEqual([after.title, after.page.figures.length], ['The harbour', 1]);
  });

  it('show nothing of a board whose report nobody gave them, nor one that is not filtered for them', async () => {
    await saveBoard();
    const { grants } = (await screens.call('GET', '/api/v1/permissions?kind=report&name=works', owner))
      .body as unknown as {
      grants: { id: number; holder: { kind: string } }[];
    };
    for (const one of grants.filter(({ holder }) => holder.kind === 'screen-group'))
      await screens.small.fine('DELETE', `/api/v1/permissions/${one.id}`, undefined, owner);
    const answer = await ask<ViewResponse>(first, 'board');
    assert.deepEqual(
      Object.values(answer.results).map((one) => [one.rows.length, one.refused?.code]),
      [
        [0, 'TOKEN_SCOPE_EXCEEDED'],
        [0, 'TOKEN_SCOPE_EXCEEDED'],
      ],
    );
    assert.deepEqual(
      (await plan()).lacks.map((one) => [one.name, one.report]),
      [['quays', 'works']],
    );
    assert.equal((await screens.publish('quays', { give: false })).body.code, 'PLAYLIST_MISFIT');
    const open = playlist({ name: 'open', slots: [boardSlot({ where: {} })] });
    assert.equal((await screens.save(open)).status, 200);
    const refused = await screens.publish('open');
    assert.match(refused.text, /has row rules/);
    assert.equal((await screens.publish()).status, 200);
  });

  it('fill words with values of figures, each under the rights of the screen', async () => {
    await play([words({ works: count })]);
    assert.equal((await handle(first, 'words')).text, undefined, 'nothing is told in advance');
    for (const [device, quay] of [
      [first, 'Q1'],
      [second, 'Q2'],
    ] as const) {
      const shown = await ask<ShownWords>(device, 'words');
      assert.equal(shown.text, `Works at ${quay}: 10`);
      assert.ok(shown.asOf !== null && shown.asOf > 0);
    }
    const id = (await handle(first, 'words')).id;
    const tag = (await first.request('GET', `/api/v1/screen/slots/${id}`)).headers.get('etag');
    assert.ok(tag);
    // Hidden from screens, it is a misfit; what is published already says no number any more.
    const path = '/api/v1/datasets/works/masks/no-cost';
    const effect = { kind: 'hide', column: 'cost' };
    await screens.small.fine('PUT', path, { appliesTo: { kind: 'place', name: 'screen' }, effect }, owner);
    const dark = await first.slot(id);
    assert.deepEqual([dark.status >= 400, dark.body.code], [true, 'COLUMN_HIDDEN'], JSON.stringify(dark.body));
    assert.ok((await plan()).screens.every((one) => one.misfits.length === 1));
    await screens.small.fine('DELETE', path, undefined, owner);
  });

  it('show a picture in the version that it was published with, in ranges, to the screens that show it alone', async () => {
    const red = await sharp({ create: { width: 8, height: 8, channels: 3, background: 'red' } })
      .png()
      .toBuffer();
    const blue = await sharp({ create: { width: 9, height: 9, channels: 3, background: 'blue' } })
      .png()
      .toBuffer();
    assert.equal((await put(red)).status, 200);
    await play([{ name: 'map', shows: { media: 'map' }, seconds: 9 }]);
    const { id, kind, media } = await handle(first, 'map');
    assert.deepEqual([kind, media?.type, media?.sizeBytes], ['media', 'image/png', red.length]);
    const path = `/api/v1/screen/slots/${id}/file`;
    const bytes = async () => Buffer.from(await (await first.request('GET', path)).arrayBuffer());
    assert.deepEqual(await bytes(), red);
    assert.equal((await put(blue)).status, 200);
    // Nine pixels on a wall of 1920 × 1080 are said before they hang there.
    assert.deepEqual(
      (await plan()).screens.map((one) => one.cautions.map(({ slot, why }) => [slot, /enlarged/.test(why)])),
      [[['map', true]], [['map', true]]],
    );
    assert.deepEqual(await bytes(), red, 'as it was published');
    assert.equal((await first.slot(id)).body.code, 'INPUT_INVALID', 'it has no figures');
    assert.equal((await screens.publish()).status, 200);
    assert.equal((await first.request('GET', path)).status, 404, 'of a revision that it has no more');
    const newer = await handle(first, 'map');
    const part = await first.request('GET', `/api/v1/screen/slots/${newer.id}/file`);
    assert.deepEqual(Buffer.from(await part.arrayBuffer()), blue);
    const back = await screens.call('POST', '/api/v1/playlists/quays/rollback', owner, { revision: 1 });
    assert.ok(back.status < 300 || back.body.code === 'PLAYLIST_MISFIT', back.text);
    // Nobody takes away what stands on walls, and its new name is followed.
    assert.equal((await screens.call('DELETE', '/api/v1/media/map', owner)).body.code, 'IN_USE');
    await screens.small.fine('PUT', '/api/v1/media/map/name', { name: 'chart' }, owner);
    const shown = await screens.call('GET', '/api/v1/media/chart', owner);
    assert.match(shown.text, /playlist quays/);
    // One that is on no wall of its own is not asked for by another's name.
    assert.equal((await second.request('GET', '/api/v1/screen/slots/other.1.map/file')).status, 404);
    assert.equal((await fetch(`${screens.url}${path}`)).status, 401);
  });
});
