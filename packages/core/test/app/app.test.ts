import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { boardOfPage, companyOf, itemsOf, type PageItem } from '../../src/app/index.ts';
import { validateBoard } from '../../src/board/index.ts';
import { casesOf } from '../cases.ts';

const person = (attributes: Record<string, string[]>) => ({
  kind: 'person' as const,
  id: 'p',
  name: 'P',
  email: 'p@skerrow.example',
  isAdministrator: false,
  groups: [],
  attributes,
});

describe('the company of whoever looks', () => {
  it('is told by the record, or by the person, as the app says', () => {
    const record = { company: 'trust' };
    assert.equal(companyOf({ from: 'record', name: 'company' }, { record }), 'trust');
    assert.equal(companyOf({ from: 'person', name: 'company' }, { record }), undefined);
    const who = { person: person({ company: ['ferries'] }), record };
    assert.equal(companyOf({ from: 'person', name: 'company' }, who), 'ferries');
    assert.equal(companyOf(null, who), undefined);
  });

  it('is none where nothing is told, several are, or a name is one of every object', () => {
    assert.equal(companyOf({ from: 'record', name: 'company' }, { record: {} }), undefined);
    assert.equal(companyOf({ from: 'record', name: 'company' }, { record: { company: '' } }), undefined);
    assert.equal(companyOf({ from: 'record', name: 'constructor' }, { record: {} }), undefined);
    const both = { person: person({ company: ['ferries', 'trust'] }), record: {} };
    assert.equal(companyOf({ from: 'person', name: 'company' }, both), undefined);
    assert.equal(companyOf({ from: 'person', name: '__proto__' }, both), undefined);
  });
});

describe('a mixed page', () => {
  const charts = [
    { name: 'berths', title: 'Berths', address: 'https://works.example/charts/berths' },
    { name: 'closed', title: 'Closed', address: 'https://works.example/charts/closed' },
  ];
  const figures = ['a', 'b', 'c'].map((figure) => ({ report: 'works', page: 'all', figure }));
  const report = {
    format: 'underbell-report/1',
    name: 'works',
    title: 'Works',
    datasets: { works: {} },
    pages: [
      {
        name: 'all',
        title: 'All',
        figures: figures.map((one) => ({ kind: 'text', name: one.figure, title: one.figure })),
      },
    ],
  } as never;

  it('is a board that holds its items in their order', () => {
    const { numRuns, seed } = casesOf(200, 19_403);
    const item: fc.Arbitrary<PageItem> = fc.oneof(
      fc.constantFrom(...figures),
      fc.constantFrom(...charts).map((one) => ({ chart: one.name })),
    );
    fc.assert(
      fc.property(
        fc.uniqueArray(item, { minLength: 1, maxLength: 5, selector: (one) => JSON.stringify(one) }),
        (items) => {
          const board = boardOfPage({ name: 'mine', title: 'Mine', items }, charts);
          assert.deepEqual(itemsOf(board, charts), items);
          if (board.figures.length > 0)
            validateBoard(
              board,
              (name) => (name === 'works' ? report : undefined),
              ['works'],
              ['https://works.example'],
            );
        },
      ),
      { numRuns, seed },
    );
  });

  it('leaves out a chart that the app has no more', () => {
    const board = boardOfPage({ name: 'mine', title: 'Mine', items: [figures[0]!, { chart: 'berths' }] }, charts);
    assert.deepEqual(itemsOf(board, charts.slice(1)), [figures[0]]);
  });
});
