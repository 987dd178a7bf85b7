import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { unfurl } from 'unfurl.js';
import { until } from '../house.ts';
import { author, owner, reader, report, root, rowsOf, SmallHouse } from '../smallHouse.ts';

type Body = Record<string, unknown>;
const place = (change: Body) => ({ kind: 'portal', title: 'Works', report: 'works', ...change });
const board = {
  format: 'underbell-board/1',
  name: 'day',
  title: 'Day',
  figures: [
    {
      name: 'lights',
      report: 'works',
      page: 'all',
      figure: 'rows',
      where: { works: "kind = 'lights'" },
      at: { column: 1, row: 1, width: 6, height: 4 },
    },
    { name: 'count', report: 'works', page: 'all', figure: 'count', at: { column: 7, row: 1, width: 3, height: 2 } },
  ],
};

describe('what a placement shows', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    const two = report();
    const [page] = two.pages as Body[];
    await small.fine(
      'POST',
      '/api/v1/reports',
      { definition: { ...two, pages: [page, { ...page, name: 'second', title: 'Second' }] }, notes: '' },
      author,
    );
    await small.fine('PUT', '/api/v1/boards', { definition: board }, author);
  });
  after(() => small.close());
  const put = (name: string, change: Body, as = author) =>
    small.house.call('PUT', `/api/v1/placements/${name}`, { as, body: place(change) });
  const view = (name: string, as = reader, query = '') =>
    small.house.call('GET', `/api/v1/placements/${name}/view${query}`, { as });
  const post = (path: string, body: Body, as = reader) => small.house.call('POST', path, { as, body });

  it('is a whole report, which begins where it says', async () => {
    assert.equal((await put('whole', { firstPage: 'second' })).status, 200);
    const { body } = await view('whole');
    const { page, pages } = body as unknown as { page: { name: string }; pages: object[] };
    assert.deepEqual([page.name, pages.length], ['second', 2]);
    assert.equal((await view('whole', reader, '?page=all')).status, 200);
  });

  it('is one page, and nothing else of the report in any way that there is', async () => {
    assert.equal((await put('page', { page: 'second' })).status, 200);
    const { body } = await view('page');
    assert.deepEqual(
      (body as unknown as { pages: { name: string }[] }).pages.map((one) => one.name),
      ['second'],
    );
    const asked = { page: 'all' };
    const answers = [
      await view('page', reader, '?page=all'),
      await post('/api/v1/placements/page/rows', { ...asked, figure: 'rows' }),
      await post('/api/v1/placements/page/export', { ...asked, figure: 'rows', format: 'csv' }),
      await post('/api/v1/placements/page/export', { ...asked, format: 'pdf' }),
      await post('/api/v1/placements/page/filter-suggestions', asked),
      await small.house.call('GET', '/api/v1/placements/page/events?page=all', { as: reader }),
    ];
    for (const answer of answers) assert.equal(answer.body.code, 'PAGE_UNKNOWN', answer.text);
  });

  it('is one figure, alone in its whole width, and no other can be asked for, picked or taken away', async () => {
    assert.equal((await put('figure', { page: 'all', figure: 'count' })).status, 200);
    const { body } = await view('figure');
    const { page, results } = body as unknown as {
      page: { figures: { name: string; at: { width: number; row: number } }[] };
      results: object;
    };
    assert.deepEqual(
      page.figures.map(({ name, at }) => [name, at.width, at.row]),
      [['count', 12, 1]],
    );
    assert.deepEqual(Object.keys(results), ['count']);
    for (const answer of [
      await post('/api/v1/placements/figure/rows', { figure: 'rows' }),
      await post('/api/v1/placements/figure/export', { figure: 'rows', format: 'csv' }),
      await view('figure', reader, `?choose=${encodeURIComponent('by-kind:lights')}`),
      await view('figure', reader, `?drill=${encodeURIComponent('by-kind:lights')}`),
    ])
      assert.ok(answer.status >= 400 && answer.status < 500, answer.text);
    const book = await post('/api/v1/placements/figure/export', { format: 'xlsx' });
    assert.equal(book.status, 200);
  });

  it('is a board with the placement’s own limits, for those who may see the board', async () => {
    assert.equal(
      (await put('board', { report: undefined, board: 'day', where: { works: "quay = 'Q1'" } })).status,
      200,
    );
    // The reader has no right on the board: the placement is as if it were not there.
    const unseen = await view('board');
    const nothing = await view('nothing-at-all');
    assert.deepEqual(
      [unseen.status, { ...unseen.body, detail: '', word: '' }],
      [nothing.status, { ...nothing.body, detail: '', word: '' }],
    );
    const grant = { holder: { kind: 'person', name: reader }, thing: { kind: 'board', name: 'day' }, level: 'view' };
    assert.ok((await small.house.call('PUT', '/api/v1/permissions', { as: root, body: grant })).status < 300);
    const seen = await view('board');
    assert.equal(seen.status, 200, seen.text);
    const lights = rowsOf(seen, 'lights');
    assert.ok(
      lights.length > 0 && lights.every((row) => row[1] === 'Q1' && row[2] === 'lights'),
      JSON.stringify(lights),
    );
    await put('board', { report: undefined, board: 'day', where: { works: "quay = 'Q2'" } });
    assert.deepEqual(rowsOf(await view('board'), 'lights'), [], 'its reader’s own rule holds beside it');
    for (const query of ['?page=all', '?choose=count%3A1', '?quay=Q2'])
      assert.equal((await view('board', reader, query)).status, query === '?quay=Q2' ? 200 : 400, query);
    assert.equal((await post('/api/v1/placements/board/rows', { figure: 'lights' })).body.code, 'INPUT_INVALID');
  });

  it('looks at masked values where whoever placed it sees no others', async () => {
    await small.mask('no-cost', 'Makers', { kind: 'hide', column: 'cost' });
    try {
      const answer = await put('masked', { report: undefined, board: 'day', where: { works: 'cost > 1000' } });
      assert.equal(answer.status, 200, answer.text);
      const seen = await view('masked');
      const { results } = seen.body as unknown as { results: Record<string, { refused?: object; rows: object[] }> };
      const own = (await view('board')).body as unknown as typeof seen.body;
      assert.ok(own);
      // The reader is not masked: the author's condition counts as written for the reader alone.
      assert.ok(results['count'] !== undefined);
      await small.mask('no-cost-for-readers', 'Readers', { kind: 'hide', column: 'cost' });
      const hidden = (await view('masked')).body as unknown as {
        results: Record<string, { refused?: { code: string } }>;
      };
      assert.equal(hidden.results['count']!.refused?.code, 'COLUMN_HIDDEN');
    } finally {
      for (const name of ['no-cost', 'no-cost-for-readers'])
        await small.house.call('DELETE', `/api/v1/datasets/works/masks/${name}`, { as: owner });
    }
  });

  it('is refused where it cannot be meant, with its place and the nearest name', async () => {
    for (const [change, code, nearest] of [
      [{ board: 'day' }, 'INPUT_INVALID'],
      [{ report: undefined }, 'INPUT_INVALID'],
      [{ figure: 'count' }, 'INPUT_INVALID'],
      [{ page: 'all', firstPage: 'second' }, 'INPUT_INVALID'],
      [{ page: 'all', figure: 'cuont' }, 'FIGURE_UNKNOWN', 'count'],
      [{ page: 'al' }, 'PAGE_UNKNOWN', 'all'],
      [{ firstPage: 'secnd' }, 'PAGE_UNKNOWN', 'second'],
      [{ report: undefined, board: 'day', page: 'all' }, 'INPUT_INVALID'],
      [{ report: undefined, board: 'day', where: { wroks: 'true' } }, 'INPUT_INVALID', 'works'],
      [{ report: undefined, board: 'dya' }, 'NOT_FOUND', 'day'],
      [{ look: { theme: 'purple' } }, 'INPUT_INVALID', undefined],
      [{ look: { maxHeight: 5 } }, 'INPUT_INVALID', undefined],
      [{ edition: 99_999_999_999 }, 'INPUT_INVALID', undefined],
    ] as const) {
      const { status, body, text } = await put('wrong', change);
      assert.ok(status >= 400 && status < 500, text);
      assert.equal(body.code, code, text);
      if (nearest !== undefined) assert.deepEqual(body['nearest'], [nearest], text);
    }
    assert.equal((await put('wrong', {}, reader)).body.code, 'NOT_ALLOWED');
  });

  it('rests while it is suspended: nobody sees it, by right or by token, and only those may who change it', async () => {
    const client = { id: 'portal', title: 'Portal', reports: ['works'], actions: ['view'], mayNamePersons: false };
    await small.house.call('POST', '/api/v1/clients', { as: owner, body: client });
    const minted = await post(
      '/api/v1/tokens',
      { client: 'portal', placement: 'page', where: { works: "quay = 'Q1'" } },
      owner,
    );
    assert.ok(minted.status < 300, minted.text);
    const token = (minted.body as { access_token?: string }).access_token!;
    assert.equal((await post('/api/v1/placements/page/suspend', {})).body.code, 'NOT_ALLOWED');
    assert.equal((await post('/api/v1/placements/page/suspend', {}, author)).status, 200);
    for (const as of [reader, author, root]) assert.equal((await view('page', as)).body.code, 'PLACEMENT_SUSPENDED');
    const answer = await fetch(`${small.house.url}/api/v1/placements/page/view`, {
      headers: { Authorization: `Bearer ${token}` },
    });
    assert.equal(((await answer.json()) as Body)['code'], 'PLACEMENT_SUSPENDED');
    // What is changed meanwhile still rests.
    assert.equal((await put('page', { page: 'second', title: 'Anew' })).status, 200);
    assert.equal((await view('page')).body.code, 'PLACEMENT_SUSPENDED');
    assert.equal((await post('/api/v1/placements/page/resume', {}, author)).status, 200);
    assert.equal((await view('page')).status, 200);
  });

  it('rests on when it is saved by who looked before it was suspended', async () => {
    const { records } = small.house.app;
    let saved: ReturnType<typeof put> | undefined;
    await records.transaction(async () => {
      await records.query("UPDATE placements SET suspended_at = now() WHERE name = 'page'");
      // A connection of its own: it read what stood there, and waits for the row.
      saved = put('page', { page: 'second', title: 'Meanwhile' });
      await until(async () => {
        const [waiting] = await records.query(
          "SELECT pid FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'",
        );
        return waiting.length > 0 || undefined;
      });
    });
    assert.equal((await saved!).status, 200);
    assert.equal((await view('page')).body.code, 'PLACEMENT_SUSPENDED');
    assert.equal((await post('/api/v1/placements/page/resume', {}, author)).status, 200);
  });

  it('tells those who may change it how it is used, and others nothing of that', async () => {
    for (let i = 0; i < 3; i++) await view('whole');
    await view('whole', reader, '?page=nothing');
    const listed = async (as: string) => {
      const { body } = await small.house.call('GET', '/api/v1/placements?report=works', { as });
      return (body as unknown as { placements: (Body & { name: string; use?: Body })[] }).placements.find(
        (one) => one.name === 'whole',
      )!;
    };
    const use = await until(async () => {
      const found = (await listed(author)).use as { views: number; problems: Body } | undefined;
      return found && found.views >= 3 && found.problems['PAGE_UNKNOWN'] !== undefined ? found : undefined;
    });
    assert.ok(use.views >= 3);
    assert.equal((use as unknown as { viewers: number }).viewers, 1);
    assert.notEqual((use as unknown as { dataAt: string | null }).dataAt, null);
    assert.equal((await listed(author))['madeBy'], author);
    assert.equal((await listed(reader)).use, undefined);
  });

  it('is asked for by who may not see it, and opens when its owner says so', async () => {
    const asked = await post('/api/v1/access-requests', { placement: 'masked', words: 'the wall' }, owner);
    assert.equal(asked.status, 202);
    const { body } = await small.house.call('GET', '/api/v1/access-requests', { as: root });
    const request = (body as unknown as { requests: { id: number; thingKind: string; thingName: string }[] })
      .requests[0]!;
    assert.deepEqual([request.thingKind, request.thingName], ['board', 'day']);
    const answer = { level: 'view', words: '' };
    assert.ok((await post(`/api/v1/access-requests/${request.id}/decision`, answer, root)).status < 300);
    assert.equal((await view('masked', owner)).status, 200);
  });

  it('goes with its board, and follows it to another name', async () => {
    await small.fine('PUT', '/api/v1/boards/day/name', { name: 'watch' }, root);
    const { body } = await small.house.call('GET', '/api/v1/placements/board', { as: root });
    assert.equal(body['board'], 'watch');
  });
});

describe('embedding by oEmbed', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    await small.fine('PUT', '/api/v1/placements/wall', place({ title: 'Secret plans' }), author);
  });
  after(() => small.close());
  const ask = async (query: Record<string, string>) => {
    const answer = await fetch(`${small.house.url}/oembed?${new URLSearchParams(query)}`);
    return { status: answer.status, type: answer.headers.get('content-type'), text: await answer.text() };
  };

  it('tells a stranger nothing: alike for what is there and for what is not', async () => {
    for (const format of ['json', 'xml']) {
      const of = (name: string) => ask({ url: `${small.house.url}/v/${name}`, format });
      const [there, nowhere] = [await of('wall'), await of('walk')];
      assert.equal(there.status, 200);
      assert.equal(there.text.replaceAll('wall', 'walk'), nowhere.text);
      assert.doesNotMatch(there.text, /Secret/);
    }
    const page = await (await fetch(`${small.house.url}/v/wall`)).text();
    const other = await (await fetch(`${small.house.url}/v/walk`)).text();
    assert.equal(page.replaceAll('wall', 'walk'), other);
  });

  it('keeps to the size that is asked for, and refuses what it cannot embed or write', async () => {
    const url = `${small.house.url}/v/wall`;
    const small1 = JSON.parse((await ask({ url, maxwidth: '300', maxheight: '200' })).text) as Body;
    assert.deepEqual([small1['width'], small1['height'], small1['type'], small1['version']], [300, 200, 'rich', '1.0']);
    assert.match(String(small1['html']), /width="300" height="200"/);
    for (const [query, status] of [
      [{ url, format: 'yaml' }, 501],
      [{ url: 'https://elsewhere.example/v/wall' }, 404],
      [{ url: `${small.house.url}/console/reports/works` }, 404],
      [{ url: `${small.house.url}/v/${encodeURIComponent('"><script>')}` }, 404],
      [{ url: 'not an address' }, 404],
      [{}, 400],
      [{ url, maxwidth: '-1' }, 400],
      [{ url, maxwidth: 'wide' }, 400],
    ] as const)
      assert.equal((await ask(query as Record<string, string>)).status, status, JSON.stringify(query));
    assert.match((await ask({ url, format: 'xml' })).text, /^<\?xml .*<oembed><version>1\.0<\/version>.*&lt;iframe /s);
  });

  it('is found by software that looks for it', async () => {
    const { oEmbed } = await unfurl(`${small.house.url}/v/wall`, { oembed: true });
    assert.equal(oEmbed?.type, 'rich');
    assert.match(String((oEmbed as { html?: string }).html), new RegExp(`<iframe src="${small.house.url}/v/wall"`));
  });
});
