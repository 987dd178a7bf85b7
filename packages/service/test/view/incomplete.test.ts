import assert from 'node:assert/strict';
import { readBurst } from '@underbell/core/burst';
import { findPerson } from '../../src/access/index.ts';
import { prepareBurst } from '../../src/burst/index.ts';
import { readResults } from '../../src/copies/index.ts';
import { after, before, describe, it } from 'node:test';
import { author, owner, reader, report, root, SmallHouse, someWorks } from '../smallHouse.ts';

interface Shown {
  readonly results: Readonly<
    Record<
      string,
      {
        readonly rows: readonly (readonly unknown[])[];
        readonly incomplete?: string[];
        readonly trend?: { rows: unknown[] };
      }
    >
  >;
}

describe('periods that rows fill in part only', () => {
  let small: SmallHouse;
  const at = { column: 1, row: 1, width: 6, height: 6 };
  const chart = (name: string, change: object = {}) => ({
    kind: 'line',
    name,
    dataset: 'works',
    title: name,
    by: 'day',
    step: 'month',
    measures: ['rows'],
    at,
    ...change,
  });
  const figures = [
    chart('marked'),
    chart('omitted', { incompletePeriods: 'omit' }),
    chart('any', { incompletePeriods: 'show' }),
    chart('split', { split: 'kind' }),
    { ...chart('bars'), kind: 'bar', measures: undefined, measure: 'rows' },
    chart('days', { step: 'day' }),
    {
      kind: 'number',
      name: 'number',
      title: 'Rows',
      measure: 'rows',
      trend: { along: 'day', step: 'month' },
      incompletePeriods: 'omit',
      at,
    },
  ].map((one, i) => ({ ...one, at: { ...at, row: 1 + 6 * i } }));
  const definition = { ...report(), name: 'periods', pages: [{ name: 'all', title: 'All', figures }] };
  before(async () => {
    small = await SmallHouse.open();
    // Every second day from 10 July to 20 November.
    const works = Array.from({ length: 67 }, (_, i) => ({
      ...someWorks[i % 40]!,
      id: i + 1,
      quay: 'Q1',
      day: new Date(Date.UTC(2026, 6, 10 + 2 * i)).toISOString().slice(0, 10),
    }));
    await small.upload(works);
    await small.fine('POST', '/api/v1/reports', { definition, notes: '' }, author);
    const grant = {
      holder: { kind: 'person', name: reader },
      thing: { kind: 'report', name: 'periods' },
      level: 'view',
    };
    await small.fine('PUT', '/api/v1/permissions', grant, root);
  });
  after(() => small.close());

  const view = async (as = author, query = ''): Promise<Shown['results']> =>
    ((await small.fine('GET', `/api/v1/reports/periods/view?${query}`, undefined, as)).body as unknown as Shown)
      .results;
  const months = (result: { readonly rows: readonly (readonly unknown[])[] }) => [
    ...new Set(result.rows.map((row) => String(row[0]).slice(0, 7))),
  ];
  const all = ['2026-07', '2026-08', '2026-09', '2026-10', '2026-11'];
  const ends = ['2026-07-01', '2026-11-01'];

  it('are marked, left out, or shown as any, as the author says', async () => {
    const { marked, omitted, any, split, bars, days, number } = await view();
    for (const one of [marked!, split!, bars!]) assert.deepEqual([months(one), one.incomplete], [all, ends]);
    assert.deepEqual([months(omitted!), omitted!.incomplete], [all.slice(1, 4), ends], 'and still told of');
    assert.deepEqual([months(any!), any!.incomplete], [all, undefined]);
    assert.equal(days!.incomplete, undefined);
    assert.deepEqual([number!.trend!.rows.length, number!.rows[0]![0]], [3, 67], 'the number counts all');
  });

  it('follow what the reader narrows the page to', async () => {
    const where = encodeURIComponent("day >= DATE('2026-08-01') AND day <= DATE('2026-10-31')");
    assert.equal((await view(author, `where=${where}`))['marked']!.incomplete, undefined);
  });

  it('are told of to nobody to whom groups of few rows are not', async () => {
    await small.mask('few', 'Readers', { kind: 'small groups', rows: 5 });
    const { marked, omitted } = await view(reader);
    for (const one of [marked!, omitted!]) assert.equal(one.incomplete, undefined);
    assert.deepEqual(months(omitted!), months(marked!));
  });

  it('are the same in copies, whichever way those are made', async () => {
    const { app } = small.house;
    const burst = readBurst({
      format: 'underbell-burst/1',
      name: 'periods',
      title: 'Periods',
      report: 'periods',
      list: 'none',
      where: { works: "quay IN (recipient('quay'))" },
      formats: ['csv'],
      fileName: '{quay}',
      destination: { kind: 'mail', subject: 'x', message: 'x' },
    });
    const prepared = await prepareBurst(app, (await findPerson(app, { email: owner }))!, burst, undefined);
    assert.equal(prepared.strategy.kind, 'one pass');
    const cuts = ['Q1', 'Q2'].map((quay) => ({ fields: { quay: [quay] } }));
    const slow = { ...prepared, strategy: { kind: 'a query each', because: 'to compare' } } as const;
    const [together, each] = [await readResults(app, prepared, cuts), await readResults(app, slow, cuts)];
    for (const i of cuts.keys()) assert.deepEqual(together(i), each(i));
    assert.deepEqual(together(0).get('marked')!.incomplete, ends);
    assert.equal(together(1).get('marked')!.incomplete, undefined, 'without rows');
  });

  it('are refused where there are no periods', async () => {
    const wrong = (change: object) =>
      small.house.call('POST', '/api/v1/reports/check', {
        as: author,
        body: { ...definition, pages: [{ name: 'all', title: 'All', figures: [{ ...chart('x'), ...change }] }] },
      });
    for (const change of [
      { step: undefined, incompletePeriods: 'omit' },
      { step: 'day', incompletePeriods: 'mark' },
    ])
      assert.match((await wrong(change)).text, /Only periods can be incomplete/, JSON.stringify(change));
    assert.match((await wrong({ incompletePeriods: 'hide' })).text, /incompletePeriods/);
  });
});
