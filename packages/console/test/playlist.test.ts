import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { validatePlaylist, type Slot } from '@underbell/core/screen';
import { nameFor } from '../src/media/name.ts';
import {
  fieldsOf,
  freeName,
  hoursFields,
  hoursOf,
  newFields,
  rulesIn,
  slotOf,
  whenWords,
} from '../src/screen/playlist.ts';

const rule = { rule: 'FREQ=WEEKLY;BYDAY=MO', start: '2026-11-02T06:00', minutes: 90 };
const value = { report: 'r', page: 'p', figure: 'f', where: { sailings: "quay = screen('quay')" } };

describe('the form of a slot', () => {
  const slots: readonly Slot[] = [
    { name: 'a', shows: { text: 'Words' }, seconds: 5 },
    {
      name: 'b',
      title: 'Title',
      shows: { report: 'r', page: 'p', figure: 'f' },
      where: { sailings: "quay = screen('quay')", 'berth-works': 'cost > 5' },
      parameters: { least: '5' },
      seconds: 20,
      hours: [{ from: '06:00', to: '20:00' }],
      from: '2026-11-01',
      until: '2026-11-30',
    },
    {
      name: 'c',
      shows: { report: 'r' },
      seconds: 9,
      hours: [{ days: ['MO', 'SU'], from: '06:00', to: '20:00' }, rule],
    },
    { name: 'd', shows: { board: 'harbour' }, where: { works: 'cost > 5' }, seconds: 9 },
    { name: 'e', shows: { media: 'map' }, seconds: 9 },
    { name: 'f', shows: { media: 'map', version: 2 }, title: 'Map', seconds: 9 },
    {
      name: 'g',
      shows: { text: '{a} of {b}', values: { a: value, b: { ...value, parameters: { least: '5' } } } },
      seconds: 9,
    },
  ];
  for (const slot of slots)
    it(`gives ${slot.name} back as it was, also what it has no field for`, () => {
      validatePlaylist({ format: 'underbell-playlist/1', name: 'all', title: 'All', slots: [slot] });
      assert.deepEqual(slotOf(fieldsOf(slot)), slot);
    });

  it('leaves out what belongs to the other kinds', () => {
    const fields = { ...fieldsOf(slots[1]!), what: 'words' as const, text: 'Now words' };
    const made = slotOf(fields);
    assert.deepEqual(made.shows, { text: 'Now words' });
    assert.equal('where' in made || 'parameters' in made, false);
    assert.deepEqual(slotOf({ ...fields, what: 'media', media: 'map' }).shows, { media: 'map' });
  });

  it('keeps hours by a rule beside those that are typed', () => {
    const typed = { days: ['TU' as const], from: '08:00', to: '09:00' };
    assert.deepEqual(hoursOf([...hoursFields([rule]), typed], rulesIn([rule])), { hours: [typed, rule] });
    assert.deepEqual(hoursOf([], []), {}, 'none are always');
  });

  it('says in a few words when it is shown', () => {
    assert.deepEqual(
      slots.slice(0, 3).map((one) => whenWords(fieldsOf(one))),
      ['always', '06:00–20:00; from 2026-11-01; until 2026-11-30', 'MO, SU 06:00–20:00; custom recurrence'],
    );
  });

  it('gives what is new a name that none has', () => {
    assert.equal(freeName('slot', [{ name: 'slot' }, { name: 'slot-2' }]), 'slot-3');
    assert.equal(newFields('x').what, 'page');
    assert.equal(nameFor('2. Häfen & Kais (neu).PNG'), 'hafen-kais-neu');
  });
});
