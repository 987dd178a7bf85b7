import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { checkFilter, checkMeasure, explainInWords, parseFilter, type FilterScope } from '../../src/filter/index.ts';
import { sailings } from '../builders.ts';
import { refused } from '../refused.ts';

const check = (text: string, more: Partial<FilterScope> = {}) =>
  checkFilter(parseFilter(text), { dataset: sailings, text, ...more });
const measure = (text: string) => checkMeasure(parseFilter(text), { dataset: sailings, text });

describe('checkFilter', () => {
  it('names the nearest column for a wrong case or a typo', () => {
    for (const word of ['Quay_ID', 'quayid', 'quay_idd', 'QUAY_ID']) {
      const { details } = refused('FILTER_UNKNOWN_COLUMN', () => check(`${word} = 'Q017'`));
      assert.equal(details.word, word);
      assert.equal(details.nearest?.[0], 'quay_id');
    }
  });

  for (const [text, hint] of [
    ["passengers = '12'", /Remove the quotes: 12/],
    ['quay_id = 17', /'17'/],
    ["sailed_on = '2026-10-01'", /DATE\('2026-10-01'\)/],
    ["planned_departure > DATE('2026-10-01')", /TIMESTAMP/],
    ["sailed_on > TIMESTAMP('2026-10-01T00:00:00Z')", /DATE/],
    ["cancelled = 'true'", /TRUE or FALSE/],
  ] as const) {
    it(`refuses ${text} and shows how it is written`, () => {
      assert.match(refused('FILTER_WRONG_TYPE', () => check(text)).details.hint ?? '', hint);
    });
  }

  it('takes double quotes around text for what they are', () => {
    assert.match(
      refused('FILTER_UNKNOWN_COLUMN', () => check('quay_id = "Quite Else"')).details.hint ?? '',
      /single quotes/,
    );
  });

  it('refuses days that do not exist', () => {
    for (const day of ['2026-02-29', '2026-13-01', '26-01-01', '2026-1-1', ''])
      refused('VALUE_INVALID', () => check(`sailed_on = DATE('${day}')`));
    check("sailed_on = DATE('2024-02-29')");
  });

  it('refuses order between true and false, patterns against numbers, and bare columns', () => {
    refused('FILTER_WRONG_TYPE', () => check('cancelled < TRUE'));
    refused('FILTER_WRONG_TYPE', () => check("passengers LIKE '1%'"));
    refused('FILTER_WRONG_TYPE', () => check('passengers'));
    refused('FILTER_WRONG_TYPE', () => check('passengers AND cancelled'));
    refused('FILTER_UNKNOWN_FUNCTION', () => check('sum(passengers) > 3'));
  });

  it('gives a value function the type it is compared with', () => {
    const typed = check("passengers > person('limit')", { valuesOf: () => ['12'] });
    assert.equal(explainInWords(typed), 'passengers is over 12');
    refused('VALUE_INVALID', () => check("passengers > person('limit')", { valuesOf: () => ['many'] }));
  });

  it('never ignores a value that is missing', () => {
    for (const text of [
      "quay_id = person('quay')",
      "NOT quay_id = person('quay')",
      "cancelled = TRUE OR quay_id IN (person('quay'))",
    ]) {
      assert.equal(refused('VALUE_UNBOUND', () => check(text, { valuesOf: () => undefined })).details.word, 'quay');
    }
    refused('VALUE_UNBOUND', () => check('sailed_on = today()'));
  });

  it('wants IN for several values', () => {
    const several = { valuesOf: () => ['Q001', 'Q002'] };
    assert.match(
      refused('FILTER_WRONG_TYPE', () => check("quay_id = person('quay')", several)).details.hint ?? '',
      /IN/,
    );
    assert.equal(explainInWords(check("quay_id IN (person('quay'))", several)), 'quay is one of Q001, Q002');
  });
});

describe('checkMeasure', () => {
  it('takes arithmetic over aggregates', () => {
    assert.equal(measure('sum(passengers) / count()').type, 'number');
    assert.equal(measure('sum(NOT cancelled)').type, 'number');
    assert.equal(measure('max(sailed_on)').type, 'date');
  });

  it('refuses a column outside an aggregate, nested aggregates and sums of text', () => {
    assert.equal(refused('FILTER_WRONG_TYPE', () => measure('sum(fares) / passengers')).details.word, 'passengers');
    refused('FILTER_WRONG_TYPE', () => measure('sum(avg(fares))'));
    refused('FILTER_WRONG_TYPE', () => measure('sum(route)'));
    assert.equal(refused('FILTER_UNKNOWN_FUNCTION', () => measure('summ(fares)')).details.nearest?.[0], 'sum');
  });
});

describe('explainInWords', () => {
  for (const [text, words] of [
    ["quay_id = 'Q017' AND sailed_on >= DATE('2026-10-01')", 'quay is Q017 and sailed on or after 1 October 2026'],
    ["NOT (route IN ('R1', 'R2'))", 'route is not one of R1, R2'],
    ['fares BETWEEN 1 AND 2.5 OR cancelled = TRUE', 'fares is between 1 and 2.5 or cancelled is yes'],
    ['route IS NOT NULL', 'route is present'],
    ['TRUE', 'every row'],
    ["(quay_id = 'a' OR quay_id = 'b') AND passengers > 3", '(quay is a or quay is b) and passengers is over 3'],
  ] as const) {
    it(`says ${words}`, () => assert.equal(explainInWords(check(text)), words));
  }
});
