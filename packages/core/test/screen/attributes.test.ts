import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { isRefusal } from '@underbell/core/refusal';
import {
  checkScreenValues,
  fillWords,
  playlistChanges,
  readUserCode,
  stateOf,
  userCode,
  type PlaylistDefinition,
} from '@underbell/core/screen';

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
