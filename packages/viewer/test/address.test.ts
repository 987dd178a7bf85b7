import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { emptyText } from '../src/figure/emptyText.ts';
import { readAddress } from '../src/view/address.ts';
import type { ViewedFigure, ViewResponse } from '@underbell/core/view';
import { openWindow } from './window.ts';

function read(search: string) {
  openWindow({ address: `http://viewer.example/v/quays?${search}` });
  return readAddress();
}

describe('the address of a page', () => {
  it('says the page, choices, drills and parameters; every unknown word is a parameter, which the service checks', () => {
    const { question, isBare } = read(
      'page=routes&quay=Q017&quay=Q018&month=2026-10&choose=by-route:R01&choose=by-route:R02&choose=by-day:2026-10-01&drill=tree:Hervane&without=quay&where=delay%20%3E%205&bare',
    );
    assert.equal(isBare, true);
    assert.deepEqual(question, {
      page: 'routes',
      where: 'delay > 5',
      choices: { 'by-route': ['R01', 'R02'], 'by-day': ['2026-10-01'] },
      drills: { tree: ['Hervane'] },
      without: ['quay'],
      parameters: { quay: ['Q017', 'Q018'], month: ['2026-10'] },
    });
  });

  it('keeps colons and signs in chosen values, and drops a choice of no figure', () => {
    const { question, isBare } = read(
      'choose=by-hour:07:30&choose=:nothing&choose=noColon&choose=by-name:a%26b%3D%C3%A9',
    );
    assert.equal(isBare, false);
    assert.deepEqual(question.choices, { 'by-hour': ['07:30'], 'by-name': ['a&b=é'] });
    assert.deepEqual(question.parameters, {});
  });
});

describe('a figure without rows', () => {
  const figure = { kind: 'bar', name: 'bars', title: 'Bars', dataset: 'kiosk-takings' } as unknown as ViewedFigure;
  const answer = (change: object) =>
    ({
      parameters: [],
      datasets: [
        { dataset: 'sailings', limits: [] },
        { dataset: 'kiosk-takings', limits: [] },
      ],
      ...change,
    }) as unknown as ViewResponse;

  it('says for what there are none', () => {
    assert.equal(emptyText(figure, answer({})), 'No kiosk takings yet.');
    const limits = [
      { name: 'own quay', words: 'quay is Q017', isFixed: true },
      { name: 'Month', words: 'month is October', isFixed: false },
      { name: 'picked', words: 'route is R01', isFixed: false },
    ];
    assert.equal(
      emptyText(
        figure,
        answer({
          parameters: [{ label: 'Month', words: 'October 2026' }, { label: 'Quay' }],
          datasets: [{ dataset: 'kiosk-takings', limits }],
        }),
      ),
      'No kiosk takings for Month October 2026, route is R01.',
    );
  });
});
