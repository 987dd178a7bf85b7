import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { checkScreenFilter } from '@underbell/core/access';
import { isRefusal } from '@underbell/core/refusal';
import {
  checkScreenValues,
  fillWords,
  playlistChanges,
  readUserCode,
  shapeOfValues,
  stateOf,
  userCode,
  type PlaylistDefinition,
  type ScreenValues,
} from '@underbell/core/screen';

import { casesOf } from '../cases.ts';

describe('what a screen says of itself', () => {
  const declared = [
    { name: 'quay', label: 'Quay', type: 'text' },
    { name: 'floor', label: 'Floor', type: 'number' },
    { name: 'since', label: 'Since', type: 'date' },
  ] as const;
  it('is what was declared, of its type, each mistake told', () => {
    checkScreenValues(declared, { quay: 'Q1', floor: '2.5', since: '2026-11-28' });
    assert.throws(
      () => checkScreenValues(declared, { quey: 'Q1', floor: 'two', since: '2026-13-01', quay: ' ' }),
      (error: unknown) => isRefusal(error, 'SCREEN_INVALID') && error.details.problems!.length === 4,
    );
  });

  it('stands in words, and is never left out of them', () => {
    assert.equal(
      fillWords('{quay} on {floor}, {no} {quay}', { quay: '$&', floor: '2', no: '{quay}' }),
      '$& on 2, {quay} $&',
    );
    assert.throws(
      () => fillWords('{constructor}', {}),
      (error: unknown) => isRefusal(error, 'VALUE_UNBOUND'),
    );
  });
});

describe('a code', () => {
  it('is eight letters that make no words, each as likely as the others', () => {
    const counts = new Map<string, number>();
    for (let i = 0; i < 4_000; i++)
      for (const letter of userCode(crypto.getRandomValues(new Uint8Array(64))).replace('-', ''))
        counts.set(letter, (counts.get(letter) ?? 0) + 1);
    assert.equal(counts.size, 20);
    for (const [letter, count] of counts) assert.ok(Math.abs(count - 1_600) < 300, `${letter}: ${count}`);
    assert.throws(() => userCode(new Uint8Array(64).fill(255)), RangeError);
  });

  it('is read however it is typed', () => {
    for (const text of ['WDJB-MJHT', 'wdjbmjht', ' wd jb–mj ht ']) assert.equal(readUserCode(text), 'WDJB-MJHT', text);
    for (const text of ['WDJB-MJH', 'WDJB-MJHA', 'WDJB-MJHTT', '']) assert.equal(readUserCode(text), undefined, text);
  });
});

describe('how a screen is doing', () => {
  const now = 1_000_000_000;
  const shown = { slot: 'a', playlist: 'p', revision: 2, asOf: now - 1_000 };
  const screen = { isEnded: false, beatAt: now - 1_000, shown, wanted: { p: 2 }, worryMs: 60_000 };
  it('is the worst that is true of it', () => {
    assert.equal(stateOf(screen, now).state, 'fine');
    assert.equal(stateOf({ ...screen, wanted: { p: 3 } }, now).state, 'behind');
    assert.equal(stateOf({ ...screen, shown: { ...shown, asOf: 0 }, wanted: { p: 3 } }, now).state, 'stale');
    assert.equal(stateOf({ ...screen, shown: { errors: 1, lastError: 'broken' } }, now).state, 'failing');
    assert.equal(stateOf({ ...screen, beatAt: now - 200_000 }, now).state, 'silent');
    assert.equal(stateOf({ ...screen, beatAt: null, shown: null }, now).state, 'silent');
    assert.equal(stateOf({ ...screen, isEnded: true, beatAt: null }, now).state, 'closed');
  });
});

describe('changes of a playlist', () => {
  it('are slots that came, went, or are others', () => {
    const list = (...slots: readonly [string, number][]) =>
      ({
        slots: slots.map(([name, seconds]) => ({ name, seconds, shows: { text: 'x' } })),
      }) as unknown as PlaylistDefinition;
    assert.deepEqual(playlistChanges(list(['a', 5], ['b', 5]), list(['b', 6], ['c', 5])), {
      added: ['c'],
      removed: ['a'],
      changed: ['b'],
    });
    assert.deepEqual(playlistChanges(undefined, list(['a', 5])).added, ['a']);
  });
});

describe('the shape of what screens say', () => {
  it('is the same where each value can be read as the same types, and another where one is missing', () => {
    const shape = shapeOfValues({ quay: 'Q1', floor: '2' });
    assert.equal(shapeOfValues({ floor: '-7', quay: 'Q-992' }), shape);
    for (const other of [
      {},
      { quay: 'Q1' },
      { quay: 'Q1', floor: '2', since: '2026-01-01' },
      { quay: '17', floor: '2' },
      { quay: 'Q1', floor: '2.5' },
      { quay: 'Q1', floor: 'two' },
      { quay: 'true', floor: '2' },
      { quay: '2026-01-01', floor: '2' },
      { quai: 'Q1', floor: '2' },
    ] as readonly ScreenValues[])
      assert.notEqual(shapeOfValues(other), shape, JSON.stringify(other));
    assert.notEqual(shapeOfValues({ 'a","b': 'x' }), shapeOfValues({ a: 'x', b: 'x' }));
  });

  it('decides whether a filter can be checked: two screens of one shape are refused alike', (t) => {
    const shapeOf = (type: 'text' | 'integer' | 'number' | 'date' | 'boolean') => ({
      name: 'rows',
      columns: [{ name: 'col', label: 'Col', type }],
    });
    const value = fc.oneof(
      fc.constantFrom('1', '-4', '2.5', '1e3', 'true', 'false', 'Q1', 'x', '2026-01-31', '2026-02-30', ''),
      fc.string({ maxLength: 6 }),
    );
    const operators = ['=', '<>', '<', '>='];
    const refusalOf = (where: string, type: Parameters<typeof shapeOf>[0], said: string): string => {
      try {
        checkScreenFilter(where, shapeOf(type) as never, (name) => (name === 'quay' ? [said] : undefined));
        return 'fits';
      } catch (error) {
        assert.ok(isRefusal(error), String(error));
        return error.code;
      }
    };
    const counts = { fits: 0, refused: 0 };
    const options = casesOf(400, 204);
    fc.assert(
      fc.property(
        fc.array(value, { minLength: 6, maxLength: 16 }),
        fc.constantFrom('text', 'integer', 'number', 'date', 'boolean'),
        fc.constantFrom(...operators),
        (all, type, operator) => {
          const where = `col ${operator} screen('quay')`;
          const byShape = new Map<string, string>();
          for (const said of all) {
            const shape = shapeOfValues({ quay: said });
            const found = refusalOf(where, type as 'text', said);
            assert.equal(found, byShape.get(shape) ?? found, `${where} for ${type}, said ${JSON.stringify(said)}`);
            if (byShape.has(shape)) counts[found === 'fits' ? 'fits' : 'refused']++;
            byShape.set(shape, found);
          }
        },
      ),
      options,
    );
    assert.ok(counts.fits > 50 && counts.refused > 50, JSON.stringify(counts));
    t.diagnostic(
      `seed ${options.seed}: ${counts.fits} fit, ${counts.refused} are refused, always like the others of their shape`,
    );
  });
});
