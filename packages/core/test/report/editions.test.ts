import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { brokenUses, compareEditions, startReport, validateReport } from '../../src/report/index.ts';
import { aReport, sailings } from '../builders.ts';

describe('compareEditions', () => {
  it('names what came, went and changed, with both values', () => {
    const before = aReport();
    const [page] = before.pages;
    const after = aReport({
      title: 'Other',
      parameters: [],
      measures: {
        ...before.measures,
        passengers: { label: 'People', expression: 'sum(passengers)' },
        fares: { label: 'Fares', expression: 'sum(fares)' },
      },
      pages: [{ ...page!, figures: [{ ...page!.figures[0]!, title: 'Everything' }] }],
    });
    assert.deepEqual(
      compareEditions(before, after).map((one) => `${one.change} ${one.what} ${one.name}`),
      [
        'changed report punctuality',
        'removed parameter quay',
        'changed measure passengers',
        'added measure fares',
        'removed figure overview/by-route',
        'changed figure overview/all',
      ],
    );
    assert.deepEqual(compareEditions(before, after)[2]?.details, [
      { option: 'label', before: '"Passengers"', after: '"People"' },
    ]);
  });

  it('finds nothing between equals', () => assert.deepEqual(compareEditions(aReport(), aReport()), []));
});

describe('brokenUses', () => {
  it('says which page, figure or parameter somebody loses', () => {
    const uses = [
      { user: 'placement a', page: 'overview', parameters: ['quay'] },
      { user: 'placement b', page: 'detail' },
      { user: 'board c', page: 'overview', figure: 'gone', parameters: ['month'] },
    ];
    assert.deepEqual(
      brokenUses(aReport(), uses).map((one) => `${one.user}: ${one.what}`),
      [
        'placement b: page “detail” is missing',
        'board c: figure “gone” of page “overview” is missing',
        'board c: parameter “month” is missing',
      ],
    );
  });
});

describe('startReport', () => {
  it('makes a sound report of any dataset, with what its columns suggest', () => {
    const report = startReport(sailings, {
      title: 'Sailings',
      profile: [
        { name: 'route', distinct: 14, missing: 0 },
        { name: 'quay_id', distinct: 46, missing: 0 },
      ],
    });
    validateReport(report, () => sailings);
    const kinds = report.pages[0]!.figures.map((one) => one.kind);
    assert.deepEqual(kinds, ['number', 'number', 'number', 'number', 'line', 'bar', 'table']);
    assert.equal(report.measures['cancelled_share']?.format, '0.0 %');
    assert.deepEqual(
      report.parameters?.map((one) => one.name),
      ['period', 'quay_id'],
    );
    assert.equal(report.pages[0]!.figures.find((one) => one.kind === 'bar')?.kind, 'bar');
  });

  it('gets by with a single text column', () => {
    const shape = { name: 'notes', columns: [{ name: 'words', type: 'text' as const }] };
    const report = startReport(shape, { title: 'Notes', profile: [{ name: 'words', distinct: 9_000, missing: 0 }] });
    validateReport(report, () => shape);
    assert.deepEqual(
      report.pages[0]!.figures.map((one) => one.kind),
      ['number', 'table'],
    );
  });
});
