import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { contentWords, renamedInPlaylist, type PlaylistDefinition, type SlotContent } from '@underbell/core/screen';
import { casesOf } from '../cases.ts';

/** Names are few, so that a report, a board, a dataset and a playlist have the same one. */
const name = fc.constantFrom('quay', 'harbour', 'works');
const where = fc.option(fc.dictionary(name, fc.constant("quay = screen('quay')"), { maxKeys: 2 }), { nil: undefined });
const given = <T extends object>(value: T): T =>
  Object.fromEntries(Object.entries(value).filter(([, one]) => one !== undefined)) as T;

const value = fc.record({ report: name, page: name, figure: name, where }).map(given);
const shows = fc.oneof(
  fc.record({ report: name, page: fc.option(name, { nil: undefined }), figure: fc.constant(undefined) }).map(given),
  fc.record({ board: name }),
  fc.record({ media: name, version: fc.option(fc.nat(9), { nil: undefined }) }).map(given),
  fc
    .record({
      text: fc.constantFrom('quay', '{quay} at {harbour}'),
      values: fc.option(fc.dictionary(name, value, { maxKeys: 2 }), { nil: undefined }),
    })
    .map(given),
);
const slot = fc.record({ name, shows, where, seconds: fc.constant(10) }).map(given);
const playlist = fc
  .record({ format: fc.constant('underbell-playlist/1'), name, title: name, slots: fc.array(slot, { maxLength: 5 }) })
  // As it comes from a file.
  .map((one) => JSON.parse(JSON.stringify(one)) as PlaylistDefinition);
const kind = fc.constantFrom('report', 'board', 'media', 'dataset', 'playlist', 'burst', 'screen');

/** Every place at which something of a kind is named, read in the plainest way. */
function namesOf(definition: PlaylistDefinition, of: string): string[] {
  const found: string[] = of === 'playlist' ? [definition.name] : [];
  const conditions = (all: Readonly<Record<string, string>> | undefined) =>
    of === 'dataset' ? Object.keys(all ?? {}) : [];
  for (const one of definition.slots) {
    const content = one.shows as Record<string, unknown>;
    if (typeof content[of] === 'string') found.push(content[of]);
    found.push(...conditions(one.where));
    const values = (content['values'] ?? {}) as Record<string, { report: string; where?: Record<string, string> }>;
    for (const looked of Object.values(values))
      found.push(...(of === 'report' ? [looked.report] : []), ...conditions(looked.where));
  }
  return found;
}

describe('a playlist after something was given another name', () => {
  it('names that thing anew wherever it stands, and nothing else that is called the same', (t) => {
    const options = casesOf(400, 2020);
    let moved = 0;
    fc.assert(
      fc.property(playlist, kind, name, (definition, of, from) => {
        const after = renamedInPlaylist(definition, { kind: of, name: from } as never, 'another');
        for (const other of ['report', 'board', 'media', 'dataset', 'playlist']) {
          const before = namesOf(definition, other);
          const expected = other === of ? before.map((one) => (one === from ? 'another' : one)) : before;
          assert.deepEqual(namesOf(after, other), expected, other);
          if (other === of) moved += before.filter((one) => one === from).length;
        }
        // What is said to people, and what was not asked about, stays to the letter.
        assert.deepEqual(
          after.slots.map((one) => [one.name, 'text' in one.shows ? one.shows.text : '', one.seconds]),
          definition.slots.map((one) => [one.name, 'text' in one.shows ? one.shows.text : '', one.seconds]),
        );
        assert.equal(after.title, definition.title);
      }),
      options,
    );
    assert.ok(moved > 50, `${moved} names`);
    t.diagnostic(`seed ${options.seed}: ${moved} names were moved`);
  });

  it('is what it was once the name is given back', () => {
    fc.assert(
      fc.property(playlist, kind, name, (definition, of, from) => {
        const thing = (called: string) => ({ kind: of, name: called }) as never;
        const there = renamedInPlaylist(definition, thing(from), 'another');
        assert.deepEqual(renamedInPlaylist(there, thing('another'), from), definition);
      }),
      casesOf(300, 2021),
    );
  });

  it('is said in a few words, slot by slot', () => {
    const all: [SlotContent, string][] = [
      [{ report: 'takings' }, 'takings'],
      [{ report: 'takings', page: 'overview', figure: 'by-day' }, 'takings, overview, by-day'],
      [{ board: 'harbour' }, 'board harbour'],
      [{ media: 'map' }, 'map'],
      [{ media: 'map', version: 3 }, 'map, version 3'],
      [{ text: 'Mind the step' }, 'Mind the step'],
    ];
    for (const [content, words] of all) assert.equal(contentWords(content), words);
  });
});
