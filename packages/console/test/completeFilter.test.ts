import assert from 'node:assert/strict';
import { beforeEach, describe, it } from 'node:test';
import type { RuleVocabulary } from '@underbell/core/access';
import { CompletionContext } from '@codemirror/autocomplete';
import { EditorState } from '@codemirror/state';
import { completeFilter } from '../src/rule/completeFilter.ts';
import { FakeService } from './stage.ts';

const known: RuleVocabulary = {
  columns: [
    { name: 'quay_id', type: 'text', label: 'Quay' },
    { name: 'passengers', type: 'integer', label: 'Passengers' },
  ],
  attributes: [{ name: 'quay', label: 'Their quay', type: 'text', isMany: false }],
  groups: ['Quay managers'],
};

describe('what may stand where somebody writes a filter', () => {
  let service: FakeService;
  beforeEach(() => {
    service = new FakeService();
  });
  /** `|` is where the writer is. */
  const complete = (text: string, isExplicit = false) => {
    const state = EditorState.create({ doc: text.replace('|', '') });
    return completeFilter(new CompletionContext(state, text.indexOf('|'), isExplicit), 'sailings', known);
  };
  const labels = async (text: string, isExplicit = false) =>
    (await complete(text, isExplicit))?.options.map((one) => one.label) ?? [];
  /** The text after a value that the service offers was taken. */
  async function taken(text: string, values: string[]): Promise<{ text: string; starts: string | null }> {
    const found = complete(text);
    const { path } = await service.answer({ body: { values } });
    const { from, options } = (await found)!;
    const written = text.replace('|', '').slice(0, from) + String(options[0]!.apply);
    return { text: written, starts: new URL(path, 'http://x').searchParams.get('starts') };
  }

  it('is a column, a word or a function', async () => {
    const all = await labels('qu|');
    assert.deepEqual(all.slice(0, 2), ['quay_id', 'passengers']);
    assert.ok(['AND', 'IS NULL', 'today()', "person('…')"].every((one) => all.includes(one)));
    assert.equal((await complete("quay_id = 'Q001' AND pa|"))?.from, 21);
  });

  it('is offered after a space only when it is asked for', async () => {
    assert.equal(await complete('quay_id |'), null);
    assert.ok((await labels('quay_id |', true)).includes('IN'));
  });

  it('is an attribute of the viewer within person()', async () => {
    const found = (await complete("quay_id = person('q|"))!;
    assert.deepEqual([found.from, found.options[0]?.apply], [18, "quay')"]);
    assert.deepEqual(service.asked, []);
  });

  it('is a value of the data where a column is compared with a text', async () => {
    assert.deepEqual(await taken("quay_id = 'Q0|", ['Q001']), { text: "quay_id = 'Q001'", starts: 'Q0' });
    assert.match(service.asked[0]!, /^GET \/api\/v1\/datasets\/sailings\/values\?column=quay_id&starts=Q0$/);
    assert.equal((await taken("quay_id IN ('Q001', 'Q|", ['Q002'])).text, "quay_id IN ('Q001', 'Q002'");
    assert.equal((await taken("quay_id NOT IN ('|", ['Q002'])).starts, '');
    assert.equal((await taken("passengers > 3 OR quay_id <> 'Q|", ['Q002'])).starts, 'Q');
  });

  it('keeps apostrophes apart from the end of a text', async () => {
    const found = await taken("quay_id = 'O''N|", ["O'Neil's"]);
    assert.deepEqual(found, { text: "quay_id = 'O''Neil''s'", starts: "O'N" });
  });

  it('is no value where no text is compared, or where one has ended', async () => {
    await labels("passengers = '1|");
    await labels("nobody = 'Q|");
    await labels("quay_id = 'Q001' |", true);
    assert.deepEqual(service.asked, []);
  });

  it('is words alone as long as the columns are not known', async () => {
    const state = EditorState.create({ doc: 'qu' });
    const found = await completeFilter(new CompletionContext(state, 2, false), 'sailings', undefined);
    assert.equal(found?.options[0]?.label, 'AND');
  });
});
