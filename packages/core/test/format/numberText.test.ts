import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { numberText } from '../../src/figure/index.ts';
import type { FigureResult, NumberFigure } from '../../src/report/index.ts';

const figure = (compare: NumberFigure['compare']): NumberFigure => ({
  kind: 'number',
  name: 'share',
  title: 'On time',
  measure: 'share',
  at: { column: 1, row: 1, width: 3, height: 2 },
  ...(compare ? { compare } : {}),
});
const column = { name: 'share', label: 'On time', type: 'number', format: '0.0 %', role: 'measure' } as const;
const result = (value: number, more: Partial<FigureResult> = {}): FigureResult => ({
  columns: [column],
  rows: [[value]],
  ...more,
});
const words = (compare: NumberFigure['compare'], found: FigureResult) =>
  numberText(figure(compare), found, { locale: 'en-GB', timeZone: 'UTC' }).comparison?.text;

describe('numberText', () => {
  it('never calls a difference nothing: what rounds to it is slight', () => {
    const target = { with: 'target', target: 0.9 } as const;
    assert.equal(words(target, result(0.8999)), 'just under the target of 90.0 %');
    assert.equal(words(target, result(0.9)), 'the target of 90.0 %');
    assert.equal(words(target, result(0.85)), '5.0 points under the target of 90.0 %');
    const before = { words: 'September', rows: [[0.9]] };
    assert.equal(words({ with: 'period before' }, result(0.90001, { before })), 'slightly more than September');
  });

  it('says why a figure is not compared', () => {
    const notCompared = 'not compared: the period is fixed here';
    assert.equal(words({ with: 'period before' }, result(0.9, { notCompared })), notCompared);
    const before = { words: 'September', rows: [] };
    assert.equal(words({ with: 'period before' }, result(0.9, { before })), 'nothing to compare with in September');
    assert.equal(words(undefined, result(0.9)), undefined);
  });
});
