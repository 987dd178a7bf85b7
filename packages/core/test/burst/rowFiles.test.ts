import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { parse } from 'csv-parse/sync';
import { csvStyleFor, rowWriter, type CsvStyle } from '../../src/burst/index.ts';
import type { DatasetColumn } from '../../src/dataset/index.ts';

describe('rowWriter', () => {
  const columns: DatasetColumn[] = [
    { name: 'words', type: 'text' },
    { name: 'amount', type: 'number' },
    { name: 'at', type: 'instant' },
  ];

  it('writes any text so that it is read back, with every separator; formulas get an apostrophe', () => {
    const nasty = fc.array(fc.constantFrom('a', ';', ',', '\t', '"', '\n', '\r', '=', '-', 'é', '𝛼', ' '), {
      maxLength: 8,
    });
    fc.assert(
      fc.property(nasty, fc.constantFrom('comma', 'semicolon', 'tab'), (letters, separator) => {
        const text = letters.join('');
        const writer = rowWriter('csv', columns, { style: { separator } });
        const delimiter = { comma: ',', semicolon: ';', tab: '\t' }[separator]!;
        const [, row] = parse(writer.head + writer.line([text, '1.50', null]), { delimiter, record_delimiter: '\r\n' });
        const guarded = /^\s*[=+\-@]|^[\t\r\n]/.test(text) ? `'${text}` : text;
        assert.deepEqual(row, [guarded, '1.50', ''], JSON.stringify(text));
      }),
      { numRuns: 3000, seed: 17 },
    );
  });

  it('writes JSON with every digit of a number', () => {
    const writer = rowWriter('jsonl', columns);
    assert.equal(
      writer.line(['a"b', '123456789012345678.90', '2026-10-01 08:00:00+02']),
      '{"words":"a\\"b","amount":123456789012345678.90,"at":"2026-10-01T06:00:00+00:00"}\n',
    );
    assert.equal(writer.line([null, 'NaN', null]), '{"words":null,"amount":"NaN","at":null}\n');
  });
});

describe('CSV for spreadsheets', () => {
  const columns: DatasetColumn[] = [
    { name: 'quay', label: 'Quay', type: 'text' },
    { name: 'fares', label: 'Fares', unit: '€', type: 'number' },
    { name: 'day', type: 'date' },
    { name: 'at', type: 'instant' },
    { name: 'is_open', type: 'boolean' },
  ];
  const cells = ['Q1; north', '-1234.50', '2026-10-03', '2026-10-03 08:00:00+02', 't'];
  const write = (style: CsvStyle, language = 'en-GB') => {
    const writer = rowWriter('csv', columns, { style: csvStyleFor(style, language), timeZone: 'Europe/Berlin' });
    return (writer.head + writer.line(cells)).split('\r\n').slice(0, 2);
  };

  it('has decimal signs, dates and headings as they are wished', () => {
    assert.deepEqual(write({}), [
      'quay,fares,day,at,is_open',
      'Q1; north,-1234.50,2026-10-03,2026-10-03T08:00:00+02:00,t',
    ]);
    assert.deepEqual(write({ separator: 'semicolon', decimal: 'comma', dates: 'day-month-year', headings: 'label' }), [
      'Quay;Fares (€);day;at;is_open',
      '"Q1; north";-1234,50;03.10.2026;03.10.2026 08:00:00;t',
    ]);
    // Where the decimal comma is the separator as well, the number is quoted.
    assert.match(write({ decimal: 'comma' })[1]!, /^Q1; north,"-1234,50",2026-10-03,/);
    assert.match(write({ dates: 'month-day-year' })[1]!, /,10\/03\/2026,10\/03\/2026 08:00:00,/);
  });

  it('follows the language of the recipient, except for what is said', () => {
    for (const [language, row] of [
      ['de', '"Q1; north";-1234,50;03.10.2026;03.10.2026 08:00:00;t'],
      ['de-CH', 'Q1; north,-1234.50,03.10.2026,03.10.2026 08:00:00,t'],
      ['fr', '"Q1; north";-1234,50;03/10/2026;03/10/2026 08:00:00;t'],
      ['en-GB', 'Q1; north,-1234.50,03/10/2026,03/10/2026 08:00:00,t'],
      ['en-US', 'Q1; north,-1234.50,10/03/2026,10/03/2026 08:00:00,t'],
      ['nl', '"Q1; north";-1234,50;03-10-2026;03-10-2026 08:00:00;t'],
      ['sv', '"Q1; north";-1234,50;2026-10-03;2026-10-03 08:00:00;t'],
      ['ar-EG', 'Q1; north,-1234.50,03/10/2026,03/10/2026 08:00:00,t'],
    ] as const)
      assert.equal(write({ byLanguage: true }, language)[1], row, language);
    assert.equal(
      write({ byLanguage: true, separator: 'tab', dates: 'year-month-day' }, 'de')[1],
      'Q1; north\t-1234,50\t2026-10-03\t2026-10-03 08:00:00\tt',
    );
  });

  it('leaves what is no date and no number as it is', () => {
    const writer = rowWriter('csv', columns, { style: csvStyleFor({ byLanguage: true }, 'de') });
    assert.equal(writer.line(['', 'NaN', 'infinity', 'infinity', null]), '"";NaN;infinity;infinity;\r\n');
    assert.equal(writer.line([null, '1e-7', '0044-03-15 BC', null, 'f']), ';1e-7;0044-03-15 BC;;f\r\n');
  });
});
