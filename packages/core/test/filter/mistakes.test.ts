import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { checkFilter, explainInWords, parseFilter } from '../../src/filter/index.ts';
import { isRefusal, type Refusal } from '../../src/refusal/index.ts';
import { moment, sailings } from '../builders.ts';
import { refused } from '../refused.ts';

const check = (text: string) => checkFilter(parseFilter(text), { dataset: sailings, text, ...moment });

function refusalOf(text: string): Refusal {
  try {
    check(text);
  } catch (error) {
    assert.ok(isRefusal(error), String(error));
    return error;
  }
  assert.fail(`not refused: ${text}`);
}

describe('the classic mistakes', () => {
  for (const [text, column, hint] of [
    ["passengers > '12'", 14, 'Remove the quotes: 12'],
    ['quay_id = Q017', 11, "If “Q017” is a text, put it in quotes: 'Q017'"],
    ['quay_id = 17', 11, "Put it in quotes: '17'"],
    ["sailed_on >= '2026-10-01'", 14, "write DATE('2026-10-01')"],
    ['sailed_on >= 2026-10-01', 14, "write DATE('2026-10-01')"],
    ['planned_departure < 2026-10-01', 21, "write TIMESTAMP('2026-10-01T00:00:00Z')"],
    ["planned_departure < '2026-10-01'", 21, "write TIMESTAMP('2026-10-01T00:00:00Z')"],
    ["quay_id == 'Q017'", 10, 'Use one = to compare values.'],
    ["quay_id != 'Q017'", 9, 'Write “not equal” as <>.'],
    ['quay_id = "Q017"', 11, "double quotes name a column; text stands between single quotes: 'Q017'"],
    ["Quay_ID = 'Q017'", 1, 'Did you mean “quay_id”? Names are case-sensitive.'],
    ["quay_di = 'Q017'", 1, 'Did you mean “quay_id”?'],
    ['quay_id = “Q017”', 11, "Put text in straight quotes: 'like this'"],
    ["?quay_id='Q017'", 1, 'this looks like a piece of a web address; write conditions with AND'],
    ["quay_id='Q017'&route='a'", 15, 'this looks like a piece of a web address; write conditions with AND'],
    ["quay_id = 'Q017' && route = 'a'", 18, 'write AND'],
    ["quay_id = 'Q017' || route = 'a'", 18, 'write OR'],
    ["route = 'Skipper\\'s'", 20, "Double a quote inside a text: 'Skipper''s Quay'"],
    ["quay_id IN ['a', 'b']", 12, "Write a list in parentheses: ('a', 'b')"],
    ["cancelled = 'true'", 13, 'Write TRUE or FALSE without quotes.'],
    ['route = NULL', 9, 'Write column IS NULL.'],
    ["Person('quay') = quay_id", 1, 'Did you mean “person”?'],
    ['CASE(route) = CASEI(route)', 1, 'Did you mean “CASEI”?'],
    ["T_DURING(sailed_on, '2026-10-01')", 21, "write DATE('2026-10-01')"],
    ["A_OVERLAPS(quay_id, ('a'))", 12, 'Write a list in parentheses: (quay_id)'],
  ] as const) {
    it(`says of ${text}: ${hint}`, () => {
      const { details } = refusalOf(text);
      assert.equal(details.position?.column, column);
      assert.equal(details.hint, hint);
    });
  }

  it('does not offer a text in quotes where a column is near', () => {
    assert.equal(refusalOf('route = quay_ids').details.hint, 'Did you mean “quay_id”?');
  });
});

describe('relations of time', () => {
  it('are said in words as comparisons of days', () => {
    assert.equal(
      explainInWords(check("T_DURING(sailed_on, INTERVAL('2026-10-01', '2026-10-31'))")),
      'sailed after 1 October 2026 and sailed before 31 October 2026',
    );
    assert.equal(explainInWords(check("T_AFTER(sailed_on, DATE('2026-10-01'))")), 'sailed after 1 October 2026');
    assert.equal(
      explainInWords(check("planned_departure > TIMESTAMP('2026-10-01T06:00:00Z')")),
      'planned departure is after 1 October 2026 06:00 UTC',
    );
  });

  it('refuse intervals that end before they start, mixed kinds, and what is no time', () => {
    refused('VALUE_INVALID', () => check("T_DURING(sailed_on, INTERVAL('2026-10-31', '2026-10-01'))"));
    refused('FILTER_WRONG_TYPE', () => check("T_AFTER(sailed_on, TIMESTAMP('2026-10-01T00:00:00Z'))"));
    refused('FILTER_WRONG_TYPE', () => check("T_AFTER(quay_id, DATE('2026-10-01'))"));
    refused('FILTER_WRONG_TYPE', () => check("sailed_on > INTERVAL('2026-10-01', '..')"));
    refused('FILTER_SYNTAX', () => check('T_AFTER(sailed_on)'));
    refused('FILTER_SYNTAX', () => check("INTERVAL('2026-10-01')"));
    refused('VALUE_INVALID', () => check("T_AFTER(sailed_on, INTERVAL('2026-02-30', '..'))"));
  });
});

describe('numbers', () => {
  it('stay apart beyond what a double holds', () => {
    const node = check('passengers = 123456789012345679');
    assert.equal(explainInWords(node), 'passengers is 123456789012345679');
  });

  it('refuse powers without end, and a remainder after a division', () => {
    for (const text of ['fares ^ 17 > 1', 'fares ^ 0.5 > 1', 'fares ^ passengers > 1', 'fares / 2 % 3 > 1'])
      refused('FILTER_WRONG_TYPE', () => check(text));
    refused('FILTER_TOO_LONG', () => check('((fares ^ 16) ^ 16) ^ 16 > 1'));
    refused('FILTER_SYNTAX', () => check('fares > 1e999'));
  });
});

describe('words', () => {
  for (const [text, words] of [
    ["CASEI(route) = CASEI('North')", 'route is North (whatever its capitals)'],
    ["ACCENTI(CASEI(route)) LIKE ACCENTI(CASEI('north%'))", 'route matches north% (whatever its capitals and accents)'],
    ["A_OVERLAPS((quay_id, route), ('a', 'b'))", 'quay is one of a, b or route is one of a, b'],
    ['sailed_on = today()', 'sailed on 23 November 2026'],
    ["route = ''", 'route is “”'],
  ] as const) {
    it(`say ${words}`, () => assert.equal(explainInWords(check(text)), words));
  }
});
