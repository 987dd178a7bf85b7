import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { addTo, moveFigures, setAt } from '../src/report/definitionEdits.ts';

const text = `{ "format": "underbell-report/1",
   "title" : "Works",   "measures": {"rows": { "label": "Rows",
        "expression":"count()"}},
  "pages": [ {"name": "all", "title": "All", "figures": [
      { "kind": "number", "name": "count", "at": { "column": 1, "row": 1,
         "width": 3, "height": 2 }, "title": "Count" },
      { "kind": "bar", "name": "bars", "at": {"column":4,"row":1,"width":9,"height":6}, "title": "Bars" }
  ] } ]
}
`;
interface Read {
  readonly title: string;
  readonly pages: { readonly figures: { name: string; limit?: number; at: Record<string, number> }[] }[];
}
const read = (one: string) => JSON.parse(one) as Read;
const figuresIn = (one: string) => read(one).pages[0]!.figures as never;

describe('a definition that is changed in a form', () => {
  it('keeps every letter but those of the value that is changed', () => {
    assert.equal(setAt(text, ['title'], 'Jobs'), text.replace('"Works"', '"Jobs"'));
    assert.equal(setAt(text, ['pages', 0, 'figures', 1, 'at', 'width'], 5), text.replace('"width":9', '"width":5'));
    const limited = setAt(text, ['pages', 0, 'figures', 1, 'limit'], 7);
    assert.equal(limited, text.replace('"Bars" }', '"Bars", "limit": 7 }'));
    assert.equal(setAt(limited, ['pages', 0, 'figures', 1, 'limit'], undefined), text);
    const described = setAt(text, ['measures', 'rows', 'format'], '#,##0');
    assert.equal(described, text.replace('"count()"', '"count()",\n        "format": "#,##0"'));
    assert.equal(setAt(text, ['nowhere', 'at', 'all'], 1), text);
    assert.equal(setAt('no JSON', ['title'], 'x'), 'no JSON');
  });

  it('moves those figures alone that were moved', () => {
    const before = figuresIn(text) as { name: string; at: never }[];
    const after = [{ name: 'count', at: { column: 1, row: 8, width: 3, height: 2 } }] as never;
    const moved = moveFigures(text, 0, before, after);
    assert.equal(moved, text.replace('"row": 1,\n', '"row": 8,\n'));
    assert.equal(moveFigures(text, 0, before, before), text);
  });

  it('takes figures in and out', () => {
    const more = addTo(text, ['pages', 0, 'figures'], { kind: 'text', name: 'words' });
    assert.ok(more.includes('"Bars" },\n      { "kind": "text", "name": "words" }\n  ] } ]'), more);
    assert.equal(read(more).pages[0]!.figures.length, 3);
    assert.equal(read(more).pages[0]!.figures[2]!.name, 'words');
    const fewer = setAt(text, ['pages', 0, 'figures', 0], undefined);
    assert.deepEqual(
      read(fewer).pages[0]!.figures.map((one) => one.name),
      ['bars'],
    );
  });

  it('changes texts of any shape, and nothing else in them', () => {
    let cases = 0;
    for (const indent of [0, 1, 2, 4, '\t'])
      for (const path of [
        ['title'],
        ['pages', 0, 'title'],
        ['measures', 'rows', 'label'],
        ['pages', 0, 'figures', 1, 'at', 'row'],
      ] as const) {
        const shaped = JSON.stringify(JSON.parse(text), null, indent);
        const value = path.at(-1) === 'row' ? 77 : 'changed “here”';
        const changed = setAt(shaped, [...path], value);
        const undone = changed.replace(JSON.stringify(value), () => JSON.stringify(valueAt(JSON.parse(shaped), path)));
        assert.equal(undone, shaped, `${String(indent)} ${path.join('/')}`);
        cases++;
      }
    assert.equal(cases, 20);
  });
});

function valueAt(value: unknown, path: readonly (string | number)[]): unknown {
  return path.reduce<unknown>((one, step) => (one as Record<string | number, unknown>)[step], value);
}
