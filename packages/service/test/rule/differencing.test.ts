import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import type { Mask } from '@underbell/core/access';
import { putMask } from '../../src/access/index.ts';
import { casesOf, randomFrom } from '../../../core/test/cases.ts';
import type { Answer } from '../house.ts';
import { author, owner, reader, report as works, SmallHouse } from '../smallHouse.ts';

const { numRuns: worlds, seed } = casesOf(12, 4_712);

interface Row {
  readonly id: number;
  readonly quay: string;
  readonly kind: string;
  readonly cost: number;
  readonly day: string;
}
type Keeps = (row: Row) => boolean;

/** What somebody may state: how it is asked, and which rows it means. */
interface Way {
  readonly what: string;
  readonly keeps: Keeps;
  readonly ask: () => Promise<Answer>;
}

const at = (row: number) => ({ column: 1, row, width: 6, height: 4 });
const report = works({
  name: 'costs',
  parameters: [
    { name: 'least', type: 'number', column: 'cost' },
    { name: 'kind', type: 'text', column: 'kind', many: true },
    { name: 'most', type: 'date', column: 'day', period: true, default: '2026-10' },
  ],
  measures: {
    rows: { label: 'Rows', expression: 'count()', dataset: 'works' },
    cost: { label: 'Cost', expression: 'sum(cost)', dataset: 'works' },
    largest: { label: 'Largest', expression: 'max(cost)', dataset: 'works' },
    smallest: { label: 'Smallest', expression: '0 - min(cost)', dataset: 'works' },
  },
  pages: [
    {
      name: 'all',
      title: 'All',
      figures: [
        { kind: 'number', name: 'count', title: 'Count', measure: 'rows', beside: 'cost', at: at(1) },
        { kind: 'bar', name: 'by-kind', title: 'By kind', dataset: 'works', by: 'kind', measure: 'rows', at: at(5) },
        {
          kind: 'bar',
          name: 'by-quay',
          title: 'By quay',
          dataset: 'works',
          by: 'quay',
          measure: 'rows',
          drill: ['kind'],
          at: at(9),
        },
        { kind: 'number', name: 'largest', title: 'Largest', measure: 'largest', at: at(13) },
        { kind: 'number', name: 'smallest', title: 'Smallest', measure: 'smallest', at: at(17) },
        {
          kind: 'crosstab',
          name: 'cross',
          title: 'Cross',
          dataset: 'works',
          rows: ['quay'],
          across: 'kind',
          measure: 'rows',
          totals: true,
          at: at(21),
        },
        { kind: 'table', name: 'single', title: 'Single', dataset: 'works', columns: ['id', 'cost'], at: at(25) },
      ],
    },
  ],
});

type Results = Record<string, { rows: (string | number | null)[][]; refused?: { code: string } }>;

describe('two answers to one person', () => {
  let small: SmallHouse;
  const random = randomFrom(seed);
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)]!;
  const counts = { asked: 0, answered: 0, withheld: 0, pairs: 0 };

  before(async () => {
    small = await SmallHouse.open();
    await small.house.app.records.query('DELETE FROM row_rules');
    await small.fine('POST', '/api/v1/reports', { definition: report, notes: '' }, owner);
    for (const level of ['view'] as const)
      await small.fine(
        'PUT',
        '/api/v1/permissions',
        { holder: { kind: 'person', name: reader }, thing: { kind: 'report', name: 'costs' }, level },
        owner,
      );
    await small.fine(
      'PUT',
      '/api/v1/placements/costs',
      { kind: 'app', title: 'Costs', report: 'costs', where: { works: "quay = record('quay')" } },
      owner,
    );
  });
  after(() => small.close());

  function makeRows(): Row[] {
    const days = ['2026-10-01', '2026-10-02', '2026-10-20', '2026-09-30'];
    return Array.from({ length: 16 + Math.floor(random() * 16) }, (_, i) => ({
      id: i + 1,
      quay: pick(['Q1', 'Q1', 'Q2', 'Q2', 'Q3', 'Q4']),
      kind: pick(['dredging', 'dredging', 'painting', 'lights']),
      cost: 100 + Math.floor(random() * 40),
      day: pick(days),
    }));
  }

  async function makeWorld(): Promise<{ rows: Row[]; size: number }> {
    const { app } = small.house;
    const rows = makeRows();
    await small.upload(rows);
    const size = 2 + Math.floor(random() * 5);
    const appliesTo = pick<Mask['appliesTo']>([{ kind: 'everyone' }, { kind: 'group', name: 'Readers' }]);
    const more = pick<Mask['effect'] | undefined>([
      undefined,
      { kind: 'coarsen', column: 'cost', by: { to: 'band', width: 10 } },
    ]);
    await app.records.query('DELETE FROM masks');
    const effects: Mask['effect'][] = [{ kind: 'small groups', rows: size }, ...(more ? [more] : [])];
    for (const [i, effect] of effects.entries())
      await app.records.transaction(() =>
        putMask(app, { name: `m${i}`, dataset: 'works', appliesTo, except: [], effect }),
      );
    return { rows, size };
  }

  /** Shows everybody groups of so many rows alone. */
  async function showGroupsOf(rows: number): Promise<void> {
    const { app } = small.house;
    await app.records.query('DELETE FROM masks');
    const effect = { kind: 'small groups', rows } as const;
    const mask: Mask = { name: 'all', dataset: 'works', appliesTo: { kind: 'everyone' }, except: [], effect };
    await app.records.transaction(() => putMask(app, mask));
  }

  /** Every way to state a condition: a filter, a parameter, a default taken off, a selection, a drill, a record, a try-out. */
  function waysOf(rows: readonly Row[]): Way[] {
    const call = (path: string) => () => small.house.call('GET', path, { as: reader });
    const view = (query: Record<string, string>) =>
      call(`/api/v1/reports/costs/view?${new URLSearchParams(query).toString()}`);
    const october: Keeps = (row) => row.day >= '2026-10-01';
    const one = pick(rows);
    const other = pick(rows);
    const own = (where: string, keeps: Keeps): Way[] => [
      { what: `where ${where}`, keeps: (row) => october(row) && keeps(row), ask: view({ where }) },
      {
        what: `try ${where}`,
        keeps,
        ask: () =>
          small.house.call('GET', `/api/v1/datasets/works/count?${new URLSearchParams({ where }).toString()}`, {
            as: reader,
          }),
      },
    ];
    const record = (quay: string): Way => ({
      what: `record ${quay}`,
      keeps: (row) => october(row) && row.quay === quay,
      ask: call(`/api/v1/placements/costs/view?record=quay:${quay}`),
    });
    return [
      { what: 'nothing', keeps: october, ask: view({}) },
      ...own(`id <> ${one.id}`, (row) => row.id !== one.id),
      ...own(`id = ${one.id} OR id = ${other.id}`, (row) => row.id === one.id || row.id === other.id),
      ...own(`cost < ${one.cost}`, (row) => row.cost < one.cost),
      ...own('TRUE', () => true),
      { what: 'least', keeps: (row) => october(row) && row.cost === one.cost, ask: view({ least: String(one.cost) }) },
      { what: 'kind', keeps: (row) => october(row) && row.kind === 'dredging', ask: view({ kind: 'dredging' }) },
      { what: 'without', keeps: () => true, ask: view({ without: 'most' }) },
      { what: 'another period', keeps: (row) => row.day === '2026-10-01', ask: view({ most: '2026-10-01' }) },
      {
        what: 'pick',
        keeps: (row) => october(row) && row.quay === 'Q1',
        ask: view({ choose: 'by-quay:Q1' }),
      },
      { what: 'drill', keeps: october, ask: view({ drill: 'by-quay:Q1' }) },
      record('Q1'),
      record('Q2'),
    ];
  }

  const difference = (one: ReadonlySet<number>, other: ReadonlySet<number>) =>
    [...one].filter((id) => !other.has(id)).length + [...other].filter((id) => !one.has(id)).length;

  /** The sets of rows that the answers to a way tell of. */
  function toldBy(
    rows: readonly Row[],
    { keeps, what }: Way,
    answer: Answer,
  ): { what: string; ids: ReadonlySet<number> }[] {
    counts.asked++;
    const idsOf = (more: Keeps) => new Set(rows.filter((row) => keeps(row) && more(row)).map((row) => row.id));
    const { results, rows: tried } = answer.body as unknown as { results?: Results; rows?: number };
    const found: { what: string; ids: ReadonlySet<number> }[] = [];
    if (what.startsWith('try ') && answer.status === 200 && typeof tried === 'number')
      found.push({ what, ids: idsOf(() => true) });
    const count = results?.['count'];
    if (count && !count.refused && typeof count.rows[0]?.[0] === 'number' && count.rows.length > 0) {
      const ids = idsOf(() => true);
      assert.equal(count.rows[0][0], ids.size, what);
      found.push({ what: `${what}: all`, ids });
    }
    for (const [figure, column] of [
      ['by-kind', 'kind'],
      ['by-quay', 'quay'],
    ] as const) {
      const groups = results?.[figure];
      if (!groups || groups.refused) continue;
      // A figure is not limited by what is picked in itself.
      if (what === 'pick' && figure === 'by-quay') continue;
      for (const [value] of groups.rows)
        found.push({ what: `${what}: ${figure} ${String(value)}`, ids: idsOf((row) => row[column] === value) });
      // All that is not shown of a figure is told by the whole.
      const shown = new Set(groups.rows.map(([value]) => value));
      const rest = idsOf((row) => !shown.has(row[column]));
      if (groups.rows.length > 0 && rest.size > 0) found.push({ what: `${what}: rest of ${figure}`, ids: rest });
    }
    const cross = results?.['cross'];
    if (cross && !cross.refused)
      for (const [quay, kind] of cross.rows)
        found.push({ what: `${what}: cross`, ids: idsOf((row) => row.quay === quay && row.kind === kind) });
    for (const single of ['largest', 'smallest', 'single'])
      if (results?.[single]) assert.equal(results[single].refused?.code, 'GROUPS_TOO_SMALL', `${what}: ${single}`);
    counts[found.length > 0 ? 'answered' : 'withheld']++;
    return found;
  }

  it('never differ by fewer rows than the group size, however the conditions are stated', async (t) => {
    for (let i = 0; i < worlds; i++) {
      const { rows, size } = await makeWorld();
      const told: { what: string; ids: ReadonlySet<number> }[] = [];
      for (const way of waysOf(rows)) {
        const answer = await way.ask();
        assert.ok(answer.status < 500, `${way.what}: ${answer.text}`);
        told.push(...toldBy(rows, way, answer));
      }
      for (const one of told) {
        assert.ok(one.ids.size >= size, `world ${i}, ${one.what}: ${one.ids.size} of ${size}`);
        for (const other of told) {
          // Within one question groups are apart; what is compared is a group or a whole with another question's.
          counts.pairs++;
          const differ = difference(one.ids, other.ids);
          const isNested =
            [...one.ids].every((id) => other.ids.has(id)) || [...other.ids].every((id) => one.ids.has(id));
          if (isNested)
            assert.ok(
              differ === 0 || differ >= size,
              `world ${i}: ${one.what} and ${other.what} differ by ${differ} of ${size}`,
            );
        }
      }
    }
    t.diagnostic(`${worlds} worlds: ${JSON.stringify(counts)}, seed ${seed}`);
    assert.ok(counts.answered >= worlds && counts.withheld > worlds, JSON.stringify(counts));
  });

  it('withhold what an author to whom only groups are shown computes of single rows', async () => {
    const { rows, size } = await makeWorld();
    await showGroupsOf(size);
    const mine = (expression: string) =>
      works({
        name: 'mine',
        measures: {
          rows: { label: 'Rows', expression: 'count()', dataset: 'works' },
          cost: { label: 'Cost', expression, dataset: 'works' },
        },
      });
    for (const [expression, isShown] of [
      ['sum(cost)', true],
      [`sum(id = ${rows[0]!.id})`, false],
      ['sum(cost * cost)', false],
    ] as const) {
      await small.fine('POST', '/api/v1/reports', { definition: mine(expression), notes: '' }, author);
      const { results } = (await small.fine('GET', '/api/v1/reports/mine/view', undefined, author)).body as unknown as {
        results: Results;
      };
      assert.equal(results['count']!.refused?.code, isShown ? undefined : 'GROUPS_TOO_SMALL', expression);
    }
  });

  it('are not needed to cut a copy for each row: a burst of somebody who is shown groups alone is refused', async () => {
    await makeWorld();
    const list = await small.house.call('PUT', '/api/v1/lists/one-row?id=id', {
      as: author,
      csv: 'id,email\n1,a@b.example\n',
    });
    assert.equal(list.status, 200, list.text);
    await showGroupsOf(3);
    const refused = await small.house.call('PUT', '/api/v1/bursts', {
      as: author,
      body: {
        format: 'underbell-burst/1',
        name: 'one-row',
        title: 'One row',
        report: 'works',
        list: 'one-row',
        where: { works: "id = recipient('id')" },
        formats: ['pdf'],
        fileName: '{id}',
        destination: { kind: 'mail', subject: 'x', message: 'x' },
      },
    });
    assert.equal(refused.body.code, 'GROUPS_TOO_SMALL', refused.text);
  });

  it('are told apart by no column name: “place” and “rank” are columns like others', async () => {
    const { app } = small.house;
    const csv = ['place,rank', ...Array.from({ length: 12 }, (_, i) => `P${i % 2},${i}`)].join('\n');
    assert.equal((await small.house.call('PUT', '/api/v1/datasets/places/file', { as: owner, csv })).status, 200);
    await app.records.transaction(() =>
      putMask(app, {
        name: 'all',
        dataset: 'places',
        appliesTo: { kind: 'everyone' },
        except: [],
        effect: { kind: 'small groups', rows: 3 },
      }),
    );
    const definition = works({
      name: 'places',
      datasets: { places: {} },
      parameters: [],
      measures: { rank: { label: 'Rank', expression: 'sum(rank)' } },
      pages: [
        {
          name: 'all',
          title: 'All',
          figures: [{ kind: 'bar', name: 'by-place', title: 'By place', by: 'place', measure: 'rank', at: at(1) }],
        },
      ],
    });
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, owner);
    const { results } = (await small.fine('GET', '/api/v1/reports/places/view', undefined, owner)).body as unknown as {
      results: Results;
    };
    assert.deepEqual(results['by-place']!.rows, [
      ['P1', 36],
      ['P0', 30],
    ]);
  });
});
