import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { droppedNames, mendsFor, type LayoutFix } from '../src/placement/layoutCheck.ts';

describe('what does not fit a place', () => {
  const bare: LayoutFix = { words: 'bare', apply: (look) => ({ ...look, hideBar: true }) };

  it('names bars without their names', () => {
    assert.deepEqual(droppedNames(new Set(['Ostle', '12 %']), ['Ostle', 'Ranshaw', '']), ['Ranshaw']);
  });

  it('is mended by what changes something', () => {
    assert.deepEqual(mendsFor([bare], {}, true), [bare]);
    assert.deepEqual(mendsFor([bare], { hideBar: true }, true), []);
  });
});
