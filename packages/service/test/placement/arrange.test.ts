import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { PlacementLook } from '@underbell/core/placement';
import type { ViewResponse } from '@underbell/core/view';
import { author, owner, reader, report, SmallHouse } from '../smallHouse.ts';

type Body = Record<string, unknown>;

describe('how a placement arranges what it shows', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const board = {
      format: 'underbell-board/1',
      name: 'day',
      title: 'Day',
      figures: [
        {
          name: 'kinds',
          report: 'works',
          page: 'all',
          figure: 'by-kind',
          at: { column: 1, row: 1, width: 6, height: 4 },
        },
      ],
    };
    await small.fine('PUT', '/api/v1/boards', { definition: board }, author);
  });
  after(() => small.close());

  const put = (change: Body, name = 'small') =>
    small.house.call('PUT', `/api/v1/placements/${name}`, {
      as: author,
      body: { kind: 'portal', title: 'Works', ...('board' in change ? {} : { report: 'works' }), ...change },
    });
  const view = async (name = 'small', as = reader, query = '') =>
    (await small.fine('GET', `/api/v1/placements/${name}/view${query}`, undefined, as)).body as unknown as ViewResponse;
  const look = (one: PlacementLook) => put({ page: 'all', look: one });

  it('shows the figures that it names, closed up, in its own order', async () => {
    assert.equal((await look({ figures: ['rows', 'count'] })).status, 200);
    const { page, results } = await view();
    assert.deepEqual(
      page.figures.map((one) => [one.name, one.at.column, one.at.row]),
      [
        ['rows', 1, 1],
        ['count', 1, 9],
      ],
    );
    assert.deepEqual(page.narrow, ['rows', 'count']);
    assert.deepEqual(Object.keys(results).sort(), ['count', 'rows'], 'what is left out is not asked for');
    for (const [way, body] of [
      ['rows', { figure: 'by-kind' }],
      ['export', { figure: 'by-kind', format: 'csv' }],
    ] as const) {
      const path = `/api/v1/placements/small/${way}`;
      const { body: refused } = await small.house.call('POST', path, { as: reader, body });
      assert.deepEqual([refused.code, refused.word], ['FIGURE_UNKNOWN', 'by-kind'], way);
    }
    assert.equal((await look({ isStacked: true })).status, 200);
    const stacked = (await view()).page.figures.map(({ at }) => [at.column, at.width, at.row]);
    assert.deepEqual(stacked, [
      [1, 12, 1],
      [1, 12, 3],
      [1, 12, 9],
    ]);
  });

  it('names the nearest figure, and stands when one goes away later', async () => {
    const wrong = await look({ figures: ['row'] });
    assert.deepEqual([wrong.status, wrong.body.nearest], [400, ['rows']]);
    assert.equal((await look({ figures: ['rows', 'count'] })).status, 200);
    const next = report();
    const [page] = next.pages;
    const definition = { ...next, pages: [{ ...page, figures: page!.figures.filter((one) => one.name !== 'count') }] };
    const asked = await small.house.call('POST', '/api/v1/reports', { as: author, body: { definition, notes: '' } });
    assert.match(asked.text, /placement small/, 'whoever publishes is told');
    await small.fine('POST', '/api/v1/reports', { definition, notes: '', isConfirmed: true }, author);
    assert.deepEqual(
      (await view()).page.figures.map((one) => one.name),
      ['rows'],
    );
    await small.fine('POST', '/api/v1/reports', { definition: next, notes: '', isConfirmed: true }, author);
  });

  it('leaves parts of charts out, on reports and boards', async () => {
    assert.equal((await look({ hide: ['labels'] })).status, 200);
    const partsOf = (answer: ViewResponse) =>
      answer.page.figures.map((one) => ('hide' in one ? one.hide : undefined)).filter(Boolean);
    assert.deepEqual(partsOf(await view()), [['labels']]);
    assert.equal((await put({ board: 'day', look: { hide: ['legend'] } }, 'board')).status, 200);
    assert.deepEqual(partsOf(await view('board', author)), [['legend']]);
    assert.equal((await put({ page: 'all', look: { hide: ['numbers'] } })).body.code, 'INPUT_INVALID');
  });

  it('shows one column as another to everybody there, in every way out', async () => {
    const swaps = { works: { kind: 'quay' } };
    assert.equal((await put({ swaps })).status, 200);
    const kindsIn = (answer: ViewResponse) => [
      ...new Set(
        answer.results['rows']!.rows.map(
          (row) => row[answer.results['rows']!.columns.findIndex((one) => one.name === 'kind')],
        ),
      ),
    ];
    for (const as of [reader, owner]) assert.deepEqual(kindsIn(await view('small', as)), ['Q1'], as);
    assert.ok(
      !kindsIn(
        (await small.fine('GET', '/api/v1/reports/works/view', undefined, reader)).body as unknown as ViewResponse,
      ).includes('Q1'),
      'there alone',
    );
    const tables = await view('small', reader, `?where=${encodeURIComponent("kind = 'lights'")}`);
    assert.equal(tables.results['rows']!.rows.length, 0, 'nobody finds rows by what is not shown');
    const ways = [
      ['rows', { figure: 'rows' }],
      ['rows', { figure: 'rows', where: "kind = 'lights'" }],
      ['rows', { figure: 'rows', sort: { by: 'kind' } }],
      ['export', { figure: 'rows', format: 'csv' }],
      ['filter-suggestions', { column: 'kind' }],
      ['filter-suggestions', { column: 'kind', starts: 'l' }],
    ] as const;
    for (const [way, body] of ways) {
      const path = `/api/v1/placements/small/${way}`;
      const { status, text } = await small.house.call('POST', path, { as: reader, body });
      assert.equal(status, 200, text);
      assert.doesNotMatch(text, /dredging|painting|lights/, `${way} ${JSON.stringify(body)}`);
    }
    assert.equal((await put({ board: 'day', swaps }, 'board')).status, 200);
    const answer = await view('board', author);
    assert.deepEqual(
      answer.results['kinds']!.rows.map((row) => row[0]),
      ['Q1'],
    );
  });

  it('swaps nothing for who may change the report, and not see its data', async () => {
    const csv = 'kind,secret\nlights,red\n';
    const loaded = await small.house.call('PUT', '/api/v1/datasets/closed/file', { as: owner, csv });
    assert.equal(loaded.status, 200, loaded.text);
    const { parameters: _, ...bare } = report({ name: 'closed', datasets: { closed: {} } });
    const [page] = bare.pages;
    const figures = [page!.figures[1]];
    const whole = { ...bare, measures: { rows: bare.measures.rows }, pages: [{ ...page, figures }] };
    const definition = JSON.parse(
      JSON.stringify(whole).replaceAll('"dataset":"works"', '"dataset":"closed"'),
    ) as object;
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, owner);
    const body = { kind: 'portal', title: 'Closed', report: 'closed' };
    const swap = (as: string, swaps: object) =>
      small.house.call('PUT', '/api/v1/placements/closed', { as, body: { ...body, swaps } });
    assert.equal((await swap(author, {})).status, 200, 'every report is the author’s to place');
    assert.equal((await swap(author, { closed: { kind: 'secret' } })).body.code, 'NOT_FOUND');
    assert.equal((await swap(owner, { closed: { kind: 'secret' } })).status, 200);
  });

  it('refuses swaps that do not fit, and goes with a dataset to its new name', async () => {
    for (const [swaps, code] of [
      [{ other: { kind: 'quay' } }, 'INPUT_INVALID'],
      [{ works: { kinds: 'quay' } }, 'FILTER_UNKNOWN_COLUMN'],
      [{ works: { kind: 'quai' } }, 'FILTER_UNKNOWN_COLUMN'],
      [{ works: { kind: 'cost' } }, 'INPUT_INVALID'],
      [{ works: { kind: 'kind' } }, 'INPUT_INVALID'],
    ] as const)
      assert.equal((await put({ swaps }, 'other')).body.code, code, JSON.stringify(swaps));
    assert.equal((await small.house.call('GET', '/api/v1/placements/other', { as: author })).status, 404);
    await small.fine('PUT', '/api/v1/datasets/works/name', { name: 'jobs' }, owner);
    const shown = (await small.fine('GET', '/api/v1/placements/small', undefined, author)).body;
    assert.deepEqual(shown['swaps' as never], { jobs: { kind: 'quay' } });
  });
});
