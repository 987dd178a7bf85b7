import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { PlaylistPlan, ShownPlaylist, ShownScreen } from '@underbell/core/screen';
import { until } from '../house.ts';
import { author, owner, reader, root, rowsOf } from '../smallHouse.ts';
import { playlist, ScreenHouse, workSlot, type Device } from './screenHouse.ts';

const viewerRows = (body: object) => rowsOf({ body } as never, 'rows');

describe('a playlist', () => {
  let screens: ScreenHouse;
  let first: Device;
  let second: Device;
  before(async () => {
    screens = await ScreenHouse.open();
    first = await screens.pair('one', { quay: 'Q1' });
    second = await screens.pair('two', { quay: 'Q2' });
  });
  after(() => screens.close());

  const idOf = async (device: Device, slot = 'works') =>
    (await device.program()).stretches[0]!.slots.find((one) => one.name === slot)!.as.id;

  it('is checked when it is saved: columns, types and attributes, with the nearest name', async () => {
    const wrong: readonly (readonly [object, string])[] = [
      [{ slots: [workSlot({ where: { works: "quey = screen('quay')" } })] }, 'FILTER_UNKNOWN_COLUMN'],
      [{ slots: [workSlot({ where: { works: "quay = screen('quey')" } })] }, 'VALUE_UNBOUND'],
      [{ slots: [workSlot({ where: { works: "cost > screen('quay')" } })] }, 'VALUE_INVALID'],
      [{ slots: [workSlot({ where: { works: "quay = record('quay')" } })] }, 'VALUE_UNBOUND'],
      [{ slots: [workSlot({ where: { work: "quay = 'Q1'" } })] }, 'INPUT_INVALID'],
      [{ slots: [workSlot({ shows: { report: 'works', page: 'al' } })] }, 'PAGE_UNKNOWN'],
      [{ slots: [workSlot({ shows: { report: 'works', page: 'all', figure: 'no' } })] }, 'FIGURE_UNKNOWN'],
      [{ slots: [workSlot({ shows: { report: 'work' } })] }, 'NOT_FOUND'],
      [{ slots: [workSlot({ seconds: 1 })] }, 'PLAYLIST_INVALID'],
      [{ slots: [] }, 'PLAYLIST_INVALID'],
      [{ slots: [workSlot(), workSlot()] }, 'PLAYLIST_INVALID'],
      [{ slots: [workSlot({ from: '2026-11-02', until: '2026-11-01' })] }, 'PLAYLIST_INVALID'],
      [{ slots: [workSlot({ hours: [{ from: '25:00', to: '26:00' }] })] }, 'PLAYLIST_INVALID'],
      [
        { slots: [workSlot({ hours: [{ rule: 'FREQ=OFTEN', start: '2026-01-01T06:00', minutes: 5 }] })] },
        'SCHEDULE_INVALID',
      ],
    ];
    for (const [change, code] of wrong) {
      const answer = await screens.save(playlist(change));
      assert.deepEqual(
        [answer.status >= 400, answer.body.code],
        [true, code],
        `${JSON.stringify(change)} ${answer.text}`,
      );
    }
    const fine = await screens.save(
      playlist({ slots: [workSlot({ where: { works: "quay = screen('quay') AND cost > screen('least')" } })] }),
    );
    assert.equal(fine.status, 200, fine.text);
    assert.equal((await screens.save(playlist({ name: 'mine' }), reader)).body.code, 'NOT_ALLOWED');
  });

  it('is refused to screens that lack what it asks for, by their names, and nothing is published', async () => {
    const targets = [{ kind: 'screen-group', name: 'quays' }];
    const plan = (await screens.call('POST', '/api/v1/playlists/quays/preview', owner, { targets }))
      .body as unknown as PlaylistPlan;
    assert.deepEqual(
      plan.screens.map((one) => [one.name, one.misfits.map((misfit) => misfit.slot)]),
      [
        ['one', ['works']],
        ['two', ['works']],
      ],
    );
    assert.deepEqual(
      plan.lacks.map((one) => [one.report, one.mayGive]),
      [['works', true]],
    );
    const refused = await screens.publish();
    assert.equal(refused.body.code, 'PLAYLIST_MISFIT');
    assert.match(refused.text, /Screen “one”, slot “works”.*least/);
    assert.deepEqual((await first.program()).stretches, []);
    const rights = await screens.call('GET', '/api/v1/permissions?kind=report&name=works', owner);
    assert.ok(!rights.text.includes('screen-group'), 'nor was a right given');
  });

  it('shows each screen its own rows, and none to one that nobody gave the report', async () => {
    assert.equal((await screens.save(playlist())).status, 200);
    const without = await screens.publish('quays', { give: false });
    assert.equal(without.body.code, 'PLAYLIST_MISFIT');
    assert.match(without.text, /no permission on report “works”/);
    const published = await screens.publish();
    assert.equal(published.status, 200, published.text);
    for (const [device, quay] of [
      [first, 'Q1'],
      [second, 'Q2'],
    ] as const) {
      const { status, body } = await device.slot(await idOf(device));
      assert.equal(status, 200, JSON.stringify(body));
      const rows = viewerRows(body);
      assert.equal(rows.length, 10);
      assert.ok(rows.every((row) => row[1] === quay));
      const hello = (await device.program()).stretches[0]!.slots[1]!.as;
      assert.equal(hello.text, `Welcome to quay ${quay}`);
    }
    // The right taken back, both are dark at once.
    const { grants } = (await screens.call('GET', '/api/v1/permissions?kind=report&name=works', owner))
      .body as unknown as {
      grants: { id: number; holder: { kind: string } }[];
    };
    const grant = grants.find((one) => one.holder.kind === 'screen-group')!;
    const id = await idOf(first);
    await screens.small.fine('DELETE', `/api/v1/permissions/${grant.id}`, undefined, owner);
    assert.equal((await first.slot(id)).body.code, 'TOKEN_SCOPE_EXCEEDED');
    assert.equal((await screens.publish()).status, 200);
    assert.equal((await first.slot(await idOf(first))).status, 200);
    assert.equal((await first.slot(id)).body.code, 'NOT_FOUND', 'of a revision that it has no more');
  });

  it('reaches no further than who gave it, and no ruled rows without a filter that fixes them', async () => {
    const open = playlist({ name: 'open', slots: [workSlot({ where: {} })] });
    assert.equal((await screens.save(open)).status, 200);
    const refused = await screens.publish('open');
    assert.equal(refused.body.code, 'PLAYLIST_MISFIT');
    assert.match(refused.text, /has row rules/);
    // Whoever sees Q1 alone gives no screen of Q2 a row: it is told nothing, and shows an empty page.
    for (const kind of ['screen-group', 'playlist'] as const)
      await screens.small.fine(
        'PUT',
        '/api/v1/permissions',
        { holder: { kind: 'person', name: author }, thing: { kind, name: '*' }, level: 'own' },
        root,
      );
    await screens.small.fine('PUT', '/api/v1/screen-groups/others', { title: 'Others' }, author);
    const third = await screens.pair('three', { quay: 'Q2' }, 'others');
    const own = playlist({ name: 'own', slots: [workSlot()] });
    assert.equal((await screens.save(own, author)).status, 200);
    const targets = [{ kind: 'screen-group', name: 'others' }];
    const published = await screens.publish('own', { targets }, author);
    assert.equal(published.status, 200, published.text);
    assert.deepEqual(viewerRows((await third.slot(await idOf(third))).body), []);
    await screens.small.fine(
      'PUT',
      '/api/v1/screens/three',
      { ...screens.screenBody('three', { quay: 'Q1' }, 'others'), name: undefined },
      owner,
    );
    assert.equal(viewerRows((await third.slot(await idOf(third))).body).length, 10);
    // Whoever sees a playlist learns of no screen that is not theirs.
    const grant = {
      holder: { kind: 'person', name: reader },
      thing: { kind: 'playlist', name: 'quays' },
      level: 'view',
    };
    await screens.small.fine('PUT', '/api/v1/permissions', grant, root);
    const seen = (await screens.call('GET', '/api/v1/playlists/quays', reader)).body as unknown as ShownPlaylist;
    assert.deepEqual([seen.screens, seen.targets], [[], []]);
    // Only who looks after a group says what its screens show.
    assert.equal((await screens.publish('quays', { targets }, reader)).body.code, 'NOT_ALLOWED');
  });

  it('lets a screen ask for its own slots alone', async () => {
    const third = await screens.pair('four', { quay: 'Q3' }, 'others');
    for (const id of [await idOf(first), 'quays.1.works', 'now.1', '../view', 'own.9.works'])
      assert.equal((await third.slot(encodeURIComponent(id))).status, 404, id);
  });

  it('is masked as placements of screens are', async () => {
    await screens.small.fine(
      'PUT',
      '/api/v1/datasets/works/masks/on-walls',
      { appliesTo: { kind: 'place', name: 'screen' }, effect: { kind: 'hide', column: 'cost' } },
      owner,
    );
    const { body } = await first.slot(await idOf(first));
    assert.ok(!JSON.stringify(body.results).includes('108.7'), 'no cost is told');
    await screens.small.fine('DELETE', '/api/v1/datasets/works/masks/on-walls', undefined, owner);
  });

  it('keeps a screen from being changed into one that could not show it', async () => {
    const change = { ...screens.screenBody('one', {}), name: undefined };
    const answer = await screens.call('PUT', '/api/v1/screens/one', owner, change);
    assert.equal(answer.body.code, 'PLAYLIST_MISFIT', answer.text);
    const asked = await screens.pair('five', { quay: 'Q4' });
    assert.ok(asked);
  });

  it('is published by revisions: who has which, two at once, and back', async () => {
    const before = (await screens.call('GET', '/api/v1/playlists/quays', owner)).body as unknown as ShownPlaylist;
    await screens.save(playlist({ slots: [workSlot({ seconds: 40 })] }));
    const both = await Promise.all([1, 2].map(() => screens.publish('quays', { expected: before.revision! })));
    assert.deepEqual(both.map((one) => one.status).sort(), [200, 409], both.map((one) => one.text).join());
    const { tag } = await first.program();
    await first.beat({
      has: { quays: before.revision! + 1 },
      playlist: 'quays',
      revision: before.revision! + 1,
      asOf: Date.now(),
    });
    await until(async () => {
      const shown = (await screens.call('GET', '/api/v1/playlists/quays', owner)).body as unknown as ShownPlaylist;
      return shown.screens.find((one) => one.name === 'one')!.has === before.revision! + 1;
    });
    const back = await screens.call('POST', '/api/v1/playlists/quays/rollback', owner, { revision: before.revision });
    assert.equal(back.status, 200, back.text);
    assert.notEqual((await first.program()).tag, tag);
    assert.equal((await first.program()).stretches[0]!.slots.length, 2);
    const shown = (await screens.call('GET', '/api/v1/screens/one', owner)).body as unknown as ShownScreen;
    assert.equal(shown.state, 'behind', shown.why);
  });

  it('follows every name: its own, its screens’, their group’s, the report’s', async () => {
    const renames = [
      ['playlists/quays', 'all-quays'],
      ['screen-groups/quays', 'walls'],
      ['screens/one', 'first-wall'],
      ['reports/works', 'harbour-works'],
    ] as const;
    for (const [path, name] of renames) {
      const answer = await screens.call('PUT', `/api/v1/${path}/name`, root, { name });
      assert.ok(answer.status < 300, `${path}: ${answer.text}`);
    }
    await until(async () => (await first.program()).screen.name === 'first-wall');
    const id = await idOf(first);
    assert.match(id, /^all-quays\./);
    assert.equal(viewerRows((await first.slot(id)).body).length, 10);
    const shown = (await screens.call('GET', '/api/v1/screens/first-wall', owner)).body as unknown as ShownScreen;
    assert.deepEqual([shown.group, shown.playlists.map((one) => one.name)], ['walls', ['all-quays']]);
  });
});

describe('an interruption', () => {
  let screens: ScreenHouse;
  let device: Device;
  before(async () => {
    screens = await ScreenHouse.open();
    device = await screens.pair('one');
    await screens.save(playlist());
    await screens.publish();
  });
  after(() => screens.close());
  const slot = { name: 'storm', shows: { text: 'No boats from {quay} until the storm is over' }, seconds: 30 };
  const say = (wish: object, as = owner) => screens.call('POST', '/api/v1/screen-groups/quays/overrides', as, wish);

  it('goes before every playlist, at once, until its end', async () => {
    const stream = await device.request('GET', '/api/v1/screen/events');
    const reading = stream.body!.getReader();
    const told = async () => {
      let text = '';
      while (!text.includes('event: program')) text += Buffer.from((await reading.read()).value!).toString();
    };
    await told();
    const { tag } = await device.program();
    const until = new Date(Date.now() + 3_600_000).toISOString();
    const made = await say({ slot, until });
    assert.equal(made.status, 200, made.text);
    await told();
    const program = await device.program();
    assert.notEqual(program.tag, tag);
    const now = program.stretches.find((one) => one.from <= program.now && program.now < one.until)!;
    assert.deepEqual(
      now.slots.map((one) => one.as.text),
      ['No boats from Q1 until the storm is over'],
    );
    assert.equal((await device.beat()).tag, program.tag);
    const { interruptions } = made.body as unknown as { interruptions: { id: number; by: string }[] };
    assert.equal(interruptions[0]!.by, owner);
    const path = `/api/v1/screen-groups/quays/overrides/${interruptions[0]!.id}`;
    assert.equal((await screens.call('DELETE', path, reader)).body.code, 'NOT_FOUND');
    assert.equal((await screens.call('DELETE', path, owner)).status, 200);
    await told();
    assert.equal((await device.program()).tag, tag);
    await reading.cancel();
  });

  it('is refused where a screen could not show it, and where it never ends', async () => {
    const lacking = { ...slot, shows: { text: 'Only {least}' } };
    const soon = new Date(Date.now() + 60_000).toISOString();
    const refused = await say({ slot: lacking, until: soon });
    assert.deepEqual([refused.body.code, /“one”/.test(refused.text)], ['PLAYLIST_MISFIT', true]);
    for (const until of ['2020-01-01T00:00:00Z', '2099-01-01T00:00:00Z'])
      assert.equal((await say({ slot, until })).body.code, 'INPUT_INVALID', until);
    assert.equal((await say({ slot, until: soon }, reader)).body.code, 'NOT_FOUND');
  });
});

describe('a screen', () => {
  let screens: ScreenHouse;
  let device: Device;
  before(async () => {
    screens = await ScreenHouse.open();
    device = await screens.pair('one');
  });
  after(() => screens.close());
  const shown = async () => (await screens.call('GET', '/api/v1/screens/one', owner)).body as unknown as ShownScreen;

  it('is told once what to do', async () => {
    await screens.small.fine('POST', '/api/v1/screens/one/commands', { order: 'show name' }, owner);
    await until(async () => (await device.beat()).orders.includes('show name'));
    assert.deepEqual((await device.beat()).orders, []);
    assert.equal(
      (await screens.call('POST', '/api/v1/screens/one/commands', reader, { order: 'reload' })).body.code,
      'NOT_FOUND',
    );
  });

  it('says how it is, and what went wrong on it, as often as is worth writing down', async () => {
    assert.equal((await shown()).state, 'silent');
    const problems = Array.from({ length: 15 }, (_, i) => ({ what: 'slot left out', detail: `works ${i}` }));
    await device.beat({ slot: 'works', asOf: 0, problems });
    await until(async () => (await shown()).state === 'stale');
    const { history } = await shown();
    assert.equal(history.filter((one) => one.what === 'slot left out').length, 12);
    await device.beat({ slot: 'works', asOf: Date.now() });
    await until(async () => (await shown()).state === 'fine');
    const fleet = await screens.call('GET', '/api/v1/screens?state=fine', owner);
    assert.match(fleet.text, /"one"/);
    assert.deepEqual((await screens.call('GET', '/api/v1/screens', reader)).body['screens'], []);
    assert.equal((await screens.call('GET', '/api/v1/screens/one', reader)).body.code, 'NOT_FOUND');
  });

  it('is taken away once it was ended, with its history', async () => {
    assert.equal((await screens.call('DELETE', '/api/v1/screens/one', owner)).body.code, 'IN_USE');
    assert.equal((await screens.call('DELETE', '/api/v1/screen-groups/quays', owner)).body.code, 'IN_USE');
    await screens.small.fine('POST', '/api/v1/screens/one/unpair', undefined, owner);
    assert.equal((await shown()).state, 'closed');
    assert.equal((await screens.call('DELETE', '/api/v1/screens/one', owner)).status, 204);
    assert.equal((await screens.call('DELETE', '/api/v1/screen-groups/quays', owner)).status, 204);
  });
});
