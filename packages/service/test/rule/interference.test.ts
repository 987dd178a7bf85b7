import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { Answer } from '../house.ts';
import { author, owner, reader, report, root, rowsOf, SmallHouse, someWorks, type Work } from '../smallHouse.ts';

/** What could tell whether a foreign row exists, or what stands in it, if anything did. */
const probes = [
  'NOT (id = 2 AND cost / 1 * 1e306 > 0)',
  'NOT (id = 2 AND cost * 1e306 / 1 > 0)',
  'NOT (id = 2 AND 1e-300 / cost * 1e-300 > 0)',
  'NOT (id = 2 AND cost > 100)',
  'id = 2',
  'id = 2 OR TRUE',
  "NOT (quay = 'Q2' AND cost / 1 * 1e306 > 0)",
  "NOT (kind = 'secret' AND cost / 1 * 1e306 > 0)",
  "NOT (CASEI(kind) = CASEI('SECRET') AND cost / 1 * 1e306 > 0)",
  "kind LIKE 's%'",
  "kind LIKE '%s%e%c%r%e%t%'",
  "ACCENTI(kind) = 'secret'",
  'id IN (2, 3, 4, 6, 7, 8, 10, 11, 12, 14)',
  'cost BETWEEN 1000000 AND 2000000',
  "T_AFTER(day, DATE('2027-01-01'))",
  'cost / (id - 2) > 0',
  'cost % (id - 2) > 0',
  'cost ^ 16 > 0',
];

/** Each probe under every other rule, or with `--cases` under all of them. */
const isWhole = process.env['UNDERBELL_TEST_CASES'] !== undefined;

/** An answer without what changes by itself: numbers of revisions, instants, the tag. */
function plain({ status, text }: Answer): string {
  const still = text
    .replaceAll(/"(revision|edition)":\d+/g, '')
    .replaceAll(/"(loadedAt|finishedAt|startedAt)":"[^"]*"/g, '')
    .replaceAll(/"reference":"[^"]*"/g, '');
  return `${status} ${still}`;
}

describe('two worlds that differ only in rows that a viewer may not see', () => {
  let small: SmallHouse;
  let secret: string;
  /** The same rows of Q1; of the others none is alike. */
  const foreign = (make: (work: Work) => Work | undefined) =>
    someWorks.flatMap((work) => (work.quay === 'Q1' ? [work] : (make(work) ?? [])));
  const worlds: readonly (readonly Work[])[] = [
    foreign((work) => ({ ...work, kind: 'secret', cost: 1_500_000.5 })),
    foreign((work) => ({ ...work, id: work.id + 1000, cost: 0.001 })),
    foreign((work) => ({ ...work, day: '2028-01-01', cost: 0 })),
    foreign(() => undefined),
  ];

  before(async () => {
    small = await SmallHouse.open();
    const client = await small.fine('PUT', '/api/v1/clients/host', { title: 'Host', reports: ['works'] }, owner);
    ({ secret } = client.body as unknown as { secret: string });
    await small.fine('PUT', '/api/v1/placements/works', { kind: 'portal', title: 'Works', report: 'works' }, owner);
  });
  after(() => small.close());

  async function token(where: string): Promise<string> {
    const answer = await small.house.call('POST', '/oauth/token', {
      form: new URLSearchParams({
        grant_type: 'client_credentials',
        authorization_details: JSON.stringify([{ type: 'report_view', report: 'works', where: { works: where } }]),
      }),
      headers: { Authorization: `Basic ${Buffer.from(`host:${secret}`).toString('base64')}` },
    });
    assert.equal(answer.status, 200, answer.text);
    return (answer.body as unknown as { access_token: string }).access_token;
  }

  /** Every way in which a reader can ask, with one filter. */
  async function askAll(where: string, jwt: string): Promise<Record<string, string>> {
    const { house } = small;
    const query = `where=${encodeURIComponent(where)}`;
    const body = { where, parameters: {} };
    const asked: Record<string, Promise<Answer>> = {
      view: house.call('GET', `/api/v1/reports/works/view?${query}`, { as: reader }),
      chosen: house.call('GET', `/api/v1/reports/works/view?${query}&choose=by-kind:secret`, { as: reader }),
      parameter: house.call('GET', `/api/v1/reports/works/view?${query}&least=1500000`, { as: reader }),
      rows: house.call('POST', '/api/v1/reports/works/rows', {
        as: reader,
        body: { ...body, figure: 'rows', sort: { by: 'cost', descending: true } },
      }),
      values: house.call('POST', '/api/v1/reports/works/parameter-values', {
        as: reader,
        body: { ...body, parameter: 'least' },
      }),
      words: house.call('POST', '/api/v1/reports/works/filter-suggestions', {
        as: reader,
        body: { ...body, column: 'kind' },
      }),
      count: house.call('GET', `/api/v1/datasets/works/count?${query}`, { as: reader }),
      csv: house.call('GET', `/api/v1/datasets/works/rows?format=csv&${query}`, { as: reader }),
      token: house.call('GET', `/api/v1/placements/works/view?${query}`, { token: jwt }),
      tokenRows: house.call('POST', '/api/v1/placements/works/rows', { token: jwt, body: { ...body, figure: 'rows' } }),
    };
    const answers = await Promise.all(
      Object.entries(asked).map(async ([way, answer]) => [way, plain(await answer)] as const),
    );
    return Object.fromEntries(answers);
  }

  async function compare(rules: readonly string[], tokens: readonly string[]): Promise<number> {
    let asked = 0;
    for (const [i, rule] of rules.entries()) {
      await small.rule(rule);
      const first = new Map<string, Record<string, string>>();
      for (const world of worlds) {
        await small.upload(world);
        const jwt = await token(tokens[i % tokens.length]!);
        for (const [j, probe] of probes.entries()) {
          if (!isWhole && (i + j) % 2 === 1) continue;
          const answers = await askAll(probe, jwt);
          asked += Object.keys(answers).length;
          for (const [way, answer] of Object.entries(answers))
            assert.ok(!/division|range|overflow|underflow|INTERNAL/i.test(answer), `${way}: ${answer}`);
          const known = first.get(probe);
          if (known) assert.deepEqual(answers, known, `${rule}: ${probe}`);
          else first.set(probe, answers);
        }
      }
    }
    return asked;
  }

  it('are answered alike: status, words, counts, values and files', async (t) => {
    const many = Array.from({ length: 12 }, (_, i) => `'Q1${i}'`).join(', ');
    const asked = await compare(
      [
        "quay IN (person('quay'))",
        `quay IN ('Q1', ${many})`,
        "CASEI(quay) = CASEI('q1')",
        "quay = person('quay') AND id * 2 > 1",
      ],
      ["quay = 'Q1'", `quay IN ('Q1', ${many})`, "quay = 'Q1' AND cost * 2 > 1"],
    );
    t.diagnostic(`${asked} answers compared over ${worlds.length} worlds`);
    assert.ok(asked > 1000);
  });

  it('are tagged alike: a tag says which question was asked, never how it came out', async () => {
    await small.rule("quay IN (person('quay'))");
    const tags = new Set<string>();
    for (const probe of ['NOT (id = 2 AND cost > 100)', 'NOT (id = 2 AND cost > 1)']) {
      const { headers, status } = await small.view(reader, { where: probe });
      assert.equal(status, 200);
      tags.add(headers.get('etag')!);
      const again = await small.house.call(
        `GET`,
        `/api/v1/reports/works/view?${new URLSearchParams({ where: probe })}`,
        {
          as: reader,
          headers: { 'If-None-Match': headers.get('etag')! },
        },
      );
      assert.equal(again.status, 304);
    }
    assert.equal(tags.size, 2);
  });

  it('answer every error of the database alike, with its own rows too', async () => {
    await small.upload(someWorks);
    const wrong = ['cost / 1 * 1e308 > 0', '1e-300 / cost * 1e-300 > 0'];
    const said = await Promise.all(
      wrong.map(async (where) => {
        const { status, body } = await small.view(reader, { where });
        return [status, body.code, body.detail, body.hint];
      }),
    );
    assert.equal(said[0]![1], 'ROWS_UNREADABLE');
    assert.deepEqual(said[0], said[1]);
  });
});

describe('what is masked', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
    await small.mask('steps', 'Readers', { kind: 'coarsen', column: 'cost', by: { to: 'band', width: 100 } });
    await small.mask('steps-too', 'Makers', { kind: 'coarsen', column: 'cost', by: { to: 'band', width: 100 } });
  });
  after(() => small.close());

  const own = someWorks.filter((one) => one.quay === 'Q1');
  const coarse = (cost: number) => Math.floor(cost / 100) * 100;
  /** A limit that tells exact values from coarse ones. */
  const limit = 130;
  const exact = own.filter((one) => one.cost >= limit).length;
  const shown = own.filter((one) => coarse(one.cost) >= limit).length;

  it('is masked to counts, too', async () => {
    assert.notEqual(exact, shown);
    const { body } = await small.house.call('GET', `/api/v1/datasets/works/count?where=cost%20%3E%3D%20${limit}`, {
      as: reader,
    });
    assert.equal((body as unknown as { rows: number }).rows, shown);
  });

  it('is masked to what an author writes who is masked, wherever it stands, and to nobody else’s', async () => {
    const where = `cost >= ${limit}`;
    const places: readonly ((as: string) => Promise<unknown>)[] = [
      (as) => small.fine('POST', '/api/v1/reports', { definition: report({ where }), notes: '' }, as),
      (as) => small.fine('POST', '/api/v1/reports', { definition: report({}, { where }), notes: '' }, as),
    ];
    for (const publish of places) {
      for (const [as, count] of [
        [author, shown],
        [owner, exact],
      ] as const) {
        await publish(as);
        for (const viewer of [author, reader])
          assert.equal(rowsOf(await small.view(viewer), 'count')[0]![0], count, `${as} wrote, ${viewer} looks`);
      }
    }
    await small.fine('POST', '/api/v1/reports', { definition: report(), notes: '' }, author);
    for (const [as, count] of [
      [author, shown],
      [owner, exact],
    ] as const) {
      const body = { kind: 'portal', title: 'Works', report: 'works', where: { works: where } };
      await small.fine('PUT', '/api/v1/placements/works', body, as);
      const answer = await small.house.call('GET', '/api/v1/placements/works/view', { as: reader });
      assert.equal(rowsOf(answer, 'count')[0]![0], count, `${as} placed`);
    }
    const figures = [
      {
        name: 'count',
        report: 'works',
        page: 'all',
        figure: 'count',
        at: { column: 1, row: 1, width: 4, height: 3 },
        where: { works: where },
      },
    ];
    // The board's second writer is an administrator: only makers of reports may write one that is there.
    const board = { format: 'underbell-board/1', name: 'wall', title: 'Wall', figures };
    for (const [as, count] of [
      [author, shown],
      [root, exact],
    ] as const) {
      await small.fine('PUT', '/api/v1/boards', { definition: board }, as);
      const answer = await small.house.call('GET', '/api/v1/boards/wall/view', { as: author });
      assert.equal(rowsOf(answer, 'count')[0]![0], count, answer.text);
    }
  });

  it('is masked to a value of the reader’s that flows into a figure’s own filter', async () => {
    // The dataset lacks the parameter's key and is shared: the value reaches it by the figure's filter alone.
    const csv = 'budget\n1\n2.5';
    await small.house.call('PUT', '/api/v1/datasets/budgets/file?key=budget=budget', { as: owner, csv });
    const parameters = [{ name: 'least', type: 'number', key: 'budget', default: '0' }];
    const figure = { where: "cost >= param('least')" };
    const definition = report(
      { parameters, datasets: { works: { shared: true }, budgets: {} } },
      { dataset: 'works', ...figure },
    );
    const said = await small.house.call('POST', '/api/v1/reports', { as: owner, body: { definition, notes: '' } });
    assert.ok(said.status < 300, said.text);
    const answer = await small.view(reader, { least: String(limit) });
    assert.equal(answer.status, 200, answer.text);
    assert.equal(rowsOf(answer, 'count')[0]![0], shown);
  });

  it('refuses what a masked author wrote about a column that is hidden to its viewer', async () => {
    await small.mask('no-kind', 'Makers', { kind: 'hide', column: 'kind' });
    await small.mask('no-kind-either', 'Readers', { kind: 'hide', column: 'kind' });
    const definition = report({ where: "kind = 'dredging'" });
    const said = await small.house.call('POST', '/api/v1/reports', { as: author, body: { definition, notes: '' } });
    if (said.status < 300) {
      const answer = await small.view(author);
      const results = (answer.body as unknown as { results?: Record<string, { refused?: { code: string } }> }).results;
      assert.ok(
        answer.body.code === 'COLUMN_HIDDEN' || results?.['count']?.refused?.code === 'COLUMN_HIDDEN',
        answer.text,
      );
    }
    assert.ok(!said.text.includes('dredging') || said.status >= 400 || said.status < 300);
  });
});

describe('seeing as somebody', () => {
  let small: SmallHouse;
  before(async () => {
    small = await SmallHouse.open();
  });
  after(() => small.close());

  it('tells whoever may edit the report alone neither rows nor counts, whatever the filter', async () => {
    const path = `/api/v1/reports/works/preview-as?as=${owner}`;
    const mine = await small.house.call('GET', path, { as: author });
    assert.equal(mine.status, 200, mine.text);
    assert.ok(!/"rows(Left|Total)?":\s*\d/.test(mine.text), mine.text);
    const filters = ['id = 2', 'id = 99999', 'NOT (id = 2 AND cost / 1 * 1e306 > 0)'];
    const answers = await Promise.all(
      filters.map(async (where) => {
        const { status, text } = await small.house.call('GET', `${path}&where=${encodeURIComponent(where)}`, {
          as: author,
        });
        return `${status} ${text.replaceAll(/"words":"[^"]*"/g, '')}`;
      }),
    );
    assert.equal(new Set(answers).size, 1);
    const body = { as: { person: owner }, and: { person: reader }, where: 'id = 2' };
    const both = await small.house.call('POST', '/api/v1/reports/works/preview-as', { as: author, body });
    assert.ok(!/"(both|onlyFirst|onlySecond)":\s*\d/.test(both.text), both.text);
  });

  it('counts for whoever decides about the data', async () => {
    const { text } = await small.house.call('GET', `/api/v1/reports/works/preview-as?as=${reader}`, { as: owner });
    assert.match(text, /"rowsLeft":10/);
  });

  it('tells nobody how many rows there are beyond their own', async () => {
    const { body, text } = await small.house.call('GET', '/api/v1/datasets/works/count', { as: reader });
    assert.equal((body as unknown as { rows: number }).rows, 10);
    assert.ok(!text.includes(String(someWorks.length)), text);
  });
});
