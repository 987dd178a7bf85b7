import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { nearestNames, Refusal, refusalKinds, suggest, toProblemDocument } from '../../src/refusal/index.ts';

describe('nearestNames', () => {
  it('ignores case and separators', () => {
    assert.deepEqual(nearestNames('Quay-ID', ['route', 'quay_id']), ['quay_id']);
  });

  it('offers nothing far away', () => {
    assert.deepEqual(nearestNames('zzzz', ['route', 'quay_id']), []);
    assert.match(suggest('zzzz', ['route', 'quay_id']).hint ?? '', /Available: “route”, “quay_id”/);
  });
});

describe('toProblemDocument', () => {
  it('shows code, place and hint, and nothing of the cause', () => {
    const problem = toProblemDocument(
      new Refusal('FILTER_SYNTAX', 'no', { pointer: '/x', hint: 'h' }, { cause: new Error('inside') }),
    );
    assert.deepEqual(problem, {
      type: 'urn:underbell:problem:filter-syntax',
      title: refusalKinds.FILTER_SYNTAX.title,
      status: 400,
      detail: 'no',
      code: 'FILTER_SYNTAX',
      pointer: '/x',
      hint: 'h',
    });
  });
});
