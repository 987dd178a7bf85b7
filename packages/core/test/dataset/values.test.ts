import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { parseValue, readInstant, toFieldName } from '../../src/dataset/index.ts';
import { refused } from '../refused.ts';

describe('parseValue', () => {
  it('reads by the declared type', () => {
    assert.equal(parseValue(' 12 ', 'integer'), 12);
    assert.equal(parseValue('true', 'boolean'), true);
    assert.equal(parseValue('2026-10-01T08:00:00+02:00', 'instant'), Date.parse('2026-10-01T06:00:00Z'));
  });

  it('refuses what is none', () => {
    for (const [text, type] of [
      ['1.5', 'integer'],
      ['1e999', 'number'],
      ['NaN', 'number'],
      ['yes', 'boolean'],
      ['2026-02-30', 'date'],
      ['2026-10-01T06:00:00', 'instant'],
      ['\0', 'text'],
    ] as const) {
      refused('VALUE_INVALID', () => parseValue(text, type));
    }
  });

  it('keeps microseconds of an instant', () => {
    assert.equal(readInstant('2026-10-01T00:00:00.000250Z')! - Date.parse('2026-10-01T00:00:00Z'), 0.25);
  });
});

describe('toFieldName', () => {
  it('makes names of headings', () => {
    assert.equal(toFieldName(' Quay Name '), 'quay_name');
    assert.equal(toFieldName('Zoë’s fares (€)'), 'zoe_s_fares');
    assert.equal(toFieldName('2026'), 'column_2026');
  });
});
