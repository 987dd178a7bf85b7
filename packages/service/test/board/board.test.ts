import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { emptyBin } from '../../src/folder/jobs.ts';
import { listBin } from '../../src/folder/store.ts';
import { board as guest, House, manager, publisher } from '../house.ts';

type Body = Record<string, unknown>;
interface BoardView {
  readonly page: { figures: { name: string; title: string; note?: string; from: object }[] };
  readonly results: Record<string, { rows: unknown[][]; refused?: { code: string } }>;
}

describe('boards', () => {
  let house: House;
  before(async () => (house = await House.open({ hasDemo: true })));
  after(() => house.close());
  const view = async (as: string) => {
    const { status, body, text } = await house.call('GET', '/api/v1/boards/harbour/view', { as });
    assert.equal(status, 200, text);
    return body as unknown as BoardView;
  };

  it('obey every row rule of every dataset on them', async () => {
    const [all, mine] = [await view(publisher), await view(manager)];
    for (const name of ['on-time', 'takings', 'works'])
      assert.notDeepEqual(mine.results[name]!.rows, all.results[name]!.rows, name);
    const report = await house.call('GET', '/api/v1/reports/takings/view', { as: manager });
    assert.deepEqual(mine.results['takings']!.rows, (report.body as unknown as BoardView).results['takings']!.rows);
  });

  it('say at a figure what the board fixes for it, and where it comes from', async () => {
    const figure = (await view(publisher)).page.figures.find((one) => one.name === 'days')!;
    assert.equal(figure.note, 'September 2026');
    assert.deepEqual(figure.from, { report: 'punctuality', page: 'overview', figure: 'by-day' });
  });

  it('show nothing of a report that their reader may not see', async () => {
    assert.equal((await house.call('GET', '/api/v1/boards/harbour/view', { as: guest })).status, 404);
    const grant = { holder: { kind: 'person', name: guest }, thing: { kind: 'board', name: 'harbour' }, level: 'view' };
    assert.equal((await house.call('PUT', '/api/v1/permissions', { as: publisher, body: grant })).status, 200);
    const { results } = await view(guest);
    assert.ok(Object.values(results).every((one) => one.refused?.code === 'NOT_FOUND' && one.rows.length === 0));
    // Neither does the figure say what it would have been called.
    assert.ok((await view(guest)).page.figures.every((one) => one.title !== 'Departed on time'));
  });

  it('refuse a change that was made to an older version', async () => {
    const { definition, version } = (await house.call('GET', '/api/v1/boards/harbour', { as: publisher }))
      .body as unknown as { definition: Body; version: number };
    const save = (change: Body, at: number) =>
      house.call('PUT', '/api/v1/boards', {
        as: publisher,
        body: { definition: { ...definition, ...change }, version: at },
      });
    assert.equal((await save({ title: 'First' }, version)).status, 200);
    const late = await save({ title: 'Second' }, version);
    assert.deepEqual([late.status, late.body['code']], [409, 'VERSION_CONFLICT']);
    assert.equal((await house.call('PUT', '/api/v1/boards', { as: manager, body: { definition } })).status, 403);
  });

  it('find in the catalogue what was published a moment ago', async () => {
    const figures = async () =>
      JSON.stringify((await house.call('GET', '/api/v1/available-figures', { as: publisher })).body);
    assert.ok(!(await figures()).includes('brand-new'));
    const { definition } = (await house.call('GET', '/api/v1/reports/takings', { as: publisher })).body as unknown as {
      definition: { pages: { figures: Body[] }[] };
    };
    definition.pages[0]!.figures.push({
      kind: 'text',
      name: 'brand-new',
      title: 'New',
      text: 'x',
      at: { column: 1, row: 40, width: 3, height: 2 },
    });
    assert.equal((await house.call('POST', '/api/v1/reports', { as: publisher, body: { definition } })).status, 201);
    assert.ok((await figures()).includes('brand-new'));
  });
});

describe('editions', () => {
  let house: House;
  before(async () => (house = await House.open({ hasDemo: true })));
  after(() => house.close());
  const post = (path: string, body: object, as = publisher) => house.call('POST', path, { as, body });
  const current = async () => {
    const { body } = await house.call('GET', '/api/v1/reports/quay-punctuality', { as: publisher });
    return body as unknown as {
      edition: number;
      definition: Body & { pages: (Body & { name: string })[]; parameters: Body[] };
    };
  };

  it('that take something away must be confirmed, and say from whom', async () => {
    const { definition } = await current();
    const lesser = { ...definition, parameters: definition.parameters.filter((one) => one['name'] !== 'month') };
    const { status, body } = await post('/api/v1/reports', { definition: lesser });
    assert.deepEqual([status, body['code']], [409, 'EDITION_BREAKS']);
    assert.deepEqual((body as unknown as { problems: { at: string; message: string }[] }).problems, [
      ...['district-pack', 'harbour-archive', 'quay-book', 'quay-pack', 'quay-rows'].map((name) => ({
        at: `burst ${name}`,
        message: 'parameter “month” is missing',
      })),
    ]);
    assert.equal((await current()).edition, 1);
    assert.equal((await post('/api/v1/reports', { definition: lesser, isConfirmed: true })).status, 201);
    const compared = (
      await house.call('GET', '/api/v1/reports/quay-punctuality/compare?from=1&to=2', { as: publisher })
    ).body as unknown as { changes: { change: string; name: string }[] };
    assert.deepEqual(
      compared.changes.map((one) => `${one.change} ${one.name}`),
      ['removed month'],
    );
  });

  it('are shown again by rolling back; a pinned place stays with its own', async () => {
    const place = { kind: 'portal', title: 'Pinned', report: 'quay-punctuality', edition: 2, origins: [] };
    assert.equal((await house.call('PUT', '/api/v1/placements/pinned', { as: publisher, body: place })).status, 200);
    assert.equal((await post('/api/v1/reports/quay-punctuality/rollback', { edition: 1 })).status, 200);
    const shown = async (name: string) =>
      (
        (await house.call('GET', `/api/v1/placements/${name}/view`, { as: publisher })).body as unknown as {
          report: { edition: number };
        }
      ).report.edition;
    assert.deepEqual([await shown('quay-page'), await shown('pinned')], [1, 2]);
    const retire = await post('/api/v1/reports/quay-punctuality/editions/2/retire', {});
    assert.equal(retire.body['code'], 'IN_USE');
    assert.equal((await post('/api/v1/reports/quay-punctuality/editions/1/retire', {})).body['code'], 'IN_USE');
    const { edition: _, ...follows } = place;
    await house.call('PUT', '/api/v1/placements/pinned', { as: publisher, body: follows });
    assert.equal((await post('/api/v1/reports/quay-punctuality/editions/2/retire', {})).status, 200);
    assert.equal(
      (await post('/api/v1/reports/quay-punctuality/rollback', { edition: 2, isConfirmed: true })).body['code'],
      'IN_USE',
    );
    // The next edition gets a number of its own.
    const { definition } = await current();
    assert.equal((await post('/api/v1/reports', { definition })).body['edition'], 3);
  });

  it('can be looked at as pictures by their editors', async () => {
    const picture = await fetch(`${house.url}/api/v1/reports/quay-punctuality/editions/1/image`, {
      headers: { Authorization: `Bearer ${await house.keyOf(publisher)}` },
    });
    const bytes = Buffer.from(await picture.arrayBuffer());
    assert.deepEqual([picture.headers.get('content-type'), bytes.subarray(1, 4).toString()], ['image/png', 'PNG']);
    assert.equal(
      (await house.call('GET', '/api/v1/reports/quay-punctuality/editions/1/image', { as: manager })).status,
      403,
    );
  });

  it('begin with a first report of a dataset, which is sound as it is', async () => {
    const { body } = await house.call('GET', '/api/v1/datasets/kiosk-takings/report-draft', { as: publisher });
    const published = await post('/api/v1/reports', { definition: body });
    assert.equal(published.status, 201, published.text);
    assert.equal(
      (await house.call('GET', `/api/v1/reports/${String(body['name'])}/view`, { as: publisher })).status,
      200,
    );
  });

  it('are announced to those who look, within seconds', async () => {
    const stop = new AbortController();
    const answer = await fetch(`${house.url}/api/v1/placements/quay-page/events`, {
      headers: { Authorization: `Bearer ${await house.keyOf(manager)}` },
      signal: stop.signal,
    });
    assert.match(answer.headers.get('content-type') ?? '', /^text\/event-stream/);
    const reader = answer.body!.pipeThrough(new TextDecoderStream()).getReader();
    await reader.read();
    const { definition } = await current();
    await post('/api/v1/reports', { definition, notes: 'again' });
    let text = '';
    while (!text.includes('\n\n')) text += (await reader.read()).value ?? '';
    assert.match(text, /event: changed\ndata: \{"kind":"report","name":"quay-punctuality"\}/);
    // The event carries no figure: whoever hears it asks with rights of their own.
    stop.abort();
    assert.equal((await house.call('GET', '/api/v1/placements/quay-page/events', { as: guest })).status, 404);
  });
});

describe('folders, search and the bin', () => {
  let house: House;
  let now = Date.parse('2026-11-23T09:00:00Z');
  before(async () => (house = await House.open({ hasDemo: true, now: () => now })));
  after(() => house.close());
  const put = (path: string, body: object = {}, as = publisher) => house.call('PUT', path, { as, body });
  const found = async (text: string, as = publisher) =>
    (
      (await house.call('GET', `/api/v1/search?text=${encodeURIComponent(text)}`, { as })).body as unknown as {
        found: { kind: string; name: string; because?: string }[];
      }
    ).found;

  it('find by name, by what is inside, and only what the asker may see', async () => {
    assert.deepEqual(
      (await found('harbour')).map((one) => `${one.kind} ${one.name}`),
      ['board harbour'],
    );
    assert.ok(
      (await found('delay_minutes')).some((one) => one.name === 'sailings' && one.because === 'column “delay_minutes”'),
    );
    assert.ok((await found('kiosk takings')).length >= 2);
    assert.deepEqual(await found('takings', guest), []);
    assert.ok((await found('sailings', manager)).every((one) => one.kind !== 'dataset'));
  });

  it('give the rights of a folder to what lies in the folders within it', async () => {
    assert.equal((await put('/api/v1/folders/inner', { title: 'Inner', parentName: 'operations' })).status, 200);
    assert.equal((await put('/api/v1/reports/takings/folder?confirmed=true', { folder: 'inner' })).status, 204);
    assert.equal((await house.call('GET', '/api/v1/reports/takings', { as: manager })).status, 200);
    const knot = await put('/api/v1/folders/operations', { title: 'Operations', parentName: 'inner' });
    assert.equal(knot.body['code'], 'INPUT_INVALID');
  });

  it('remember what is kept at hand and what was looked at', async () => {
    assert.equal((await put('/api/v1/favourites/report/takings')).status, 204);
    assert.equal((await put('/api/v1/recent/board/harbour')).status, 204);
    const { body } = await house.call('GET', '/api/v1/favourites', { as: publisher });
    const hand = body as unknown as { favourites: Body[]; recent: Body[] };
    assert.deepEqual([hand.favourites[0]!['name'], hand.recent[0]!['name']], ['takings', 'harbour']);
    assert.equal((await put('/api/v1/favourites/report/takings', {}, guest)).status, 404);
  });

  it('say what depends on a thing before it goes, and give it back within 30 days', async () => {
    const drop = (query = '') => house.call('DELETE', `/api/v1/reports/takings${query}`, { as: publisher });
    const refused = await drop();
    assert.deepEqual([refused.status, refused.body['code']], [409, 'IN_USE']);
    assert.deepEqual((refused.body as unknown as { problems: { at: string }[] }).problems.map((one) => one.at).sort(), [
      'board harbour',
      'burst kiosk-takings',
    ]);
    assert.equal((await drop('?confirmed=true')).status, 200);
    assert.equal((await house.call('GET', '/api/v1/reports/takings/view', { as: publisher })).status, 404);
    assert.equal(
      (await house.call('POST', '/api/v1/trash/report/takings/restore', { as: manager, body: {} })).status,
      404,
    );
    assert.equal((await house.call('POST', '/api/v1/trash/report/takings/restore', { as: publisher })).status, 200);
    assert.equal((await house.call('GET', '/api/v1/reports/takings/view', { as: publisher })).status, 200);
  });

  it('lose a thing for good after 30 days, and only then', async () => {
    await house.call('DELETE', '/api/v1/boards/harbour', { as: publisher });
    await house.call('DELETE', '/api/v1/datasets/kiosk-takings?confirmed=true', { as: publisher });
    now += 29 * 86_400_000;
    await emptyBin(house.app);
    const bin = async () => (await listBin(house.app)).length;
    assert.equal(await bin(), 2);
    now += 2 * 86_400_000;
    await emptyBin(house.app);
    assert.equal(await bin(), 0);
    const [tables] = await house.app.records.query(
      "SELECT count(*)::int AS n FROM pg_tables WHERE schemaname = 'data' AND tablename LIKE 'kiosk%'",
    );
    assert.deepEqual(tables, [{ n: 0 }]);
  });
});
