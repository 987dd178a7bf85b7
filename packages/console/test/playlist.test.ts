import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import type { Slot } from '@underbell/core/screen';
import { fieldsOf, slotOf } from '../src/screen/playlist.ts';

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
    { name: 'c', shows: { report: 'r' }, seconds: 9, hours: [{ days: ['MO'], from: '06:00', to: '20:00' }] },
  ];
  for (const slot of slots)
    it(`gives ${slot.name} back as it was, also what it has no field for`, () => {
      assert.deepEqual(slotOf(fieldsOf(slot)), slot);
    });

  it('leaves out what belongs to the other kind', () => {
    const fields = { ...fieldsOf(slots[1]!), what: 'words' as const, text: 'Now words' };
    const made = slotOf(fields);
    assert.deepEqual(made.shows, { text: 'Now words' });
    assert.equal('where' in made || 'parameters' in made, false);
  });
});
