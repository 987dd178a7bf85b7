import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { burstSchema, destinationKinds, readBurst } from '@underbell/core/burst';
import { casesOf } from '../../core/test/cases.ts';
import { emptyDraft, stepOf, toDefinition, toDraft } from '../src/burst/draft.ts';

const name = fc.stringMatching(/^[a-z][a-z0-9]{0,6}(-[a-z0-9]{1,5})?$/);
const words = fc.stringMatching(/^[A-Za-z{}][A-Za-z {}.:]{0,30}[A-Za-z{}]$/);
const address = name.map((one) => `${one}@skerrow.example`);
const flag = fc.constant(true as const);
const pick = <T extends string>(...all: T[]) => fc.constantFrom(...all);
const table = (values: fc.Arbitrary<string>) =>
  fc.dictionary(fc.stringMatching(/^[a-z][a-z_]{0,8}$/), values, { minKeys: 1, maxKeys: 4 });
/** A record with some of these fields. */
const some = (fields: Record<string, fc.Arbitrary<unknown>>, required: Record<string, fc.Arbitrary<unknown>> = {}) =>
  fc.record({ ...fields, ...required }, { requiredKeys: Object.keys(required) });

const letter = { subject: words, message: words };
const folder = some({ folder: words, replace: flag, announce: fc.record(letter) }, { to: name });
const destination = fc.oneof(
  some(
    {
      to: name,
      replyTo: address,
      emptyMessage: words,
      send: pick('files', 'links'),
      largest: fc.integer({ min: 1, max: 900 }),
      page: flag,
      unsubscribe: flag,
    },
    { kind: fc.constant('mail'), ...letter },
  ),
  fc.tuple(pick('library', 'directory'), folder).map(([kind, rest]) => ({ ...rest, kind })),
  fc.record({ kind: fc.constant('webhook'), to: name }),
);
/** Definitions as people may have saved them, with any of the fields that there are. */
const definition = some(
  {
    page: name,
    bind: table(name),
    where: table(words),
    many: table(pick(';', ',', ' | ')),
    each: name,
    asSeenBy: fc.constant('recipient'),
    release: fc.uniqueArray(address, { minLength: 1, maxLength: 3 }),
    period: fc.record({ unit: pick('month', 'day'), parameter: name }),
    pdf: fc.record({ passwordColumn: name }),
    csv: fc
      .oneof(
        some({ separator: pick('comma', 'semicolon', 'tab'), mark: flag, encoding: pick('utf-8', 'utf-16') }),
        some({
          decimal: pick('comma', 'dot'),
          dates: pick('day-month-year', 'month-day-year', 'year-month-day'),
          headings: pick('name', 'label'),
          byLanguage: flag,
        }),
        some({ separator: pick('comma', 'semicolon', 'tab'), encoding: pick('windows-1252', 'iso-8859-15') }),
      )
      .filter((one) => Object.keys(one).length > 0),
    empty: pick('skip', 'note', 'refuse'),
    keep: some({ signIn: fc.boolean() }, { days: fc.integer({ min: 1, max: 400 }) }),
    schedule: some(
      {
        period: pick('last', 'this'),
        missed: fc.constant('skip'),
        except: fc.uniqueArray(pick('2026-12-25', '2026-12-26', '2027-01-01'), { minLength: 1 }),
      },
      {
        rule: fc.constant('FREQ=MONTHLY;BYMONTHDAY=2'),
        start: fc.constant('2026-11-02T07:00'),
        timeZone: pick('Europe/London', 'Asia/Tokyo'),
      },
    ).chain((schedule) =>
      fc.option(fc.record({ holidays: name, onHoliday: pick('skip', 'next') }), { nil: {} }).map((holidays) => ({
        ...schedule,
        ...holidays,
      })),
    ),
    afterRefresh: pick('last', 'this'),
    summary: pick('always', 'unattended', 'never'),
    rows: some({ dataset: name, columns: fc.uniqueArray(name, { minLength: 1, maxLength: 3 }) }).filter(
      (one) => Object.keys(one).length > 0,
    ),
  },
  {
    format: fc.constant('underbell-burst/1'),
    name,
    title: words,
    report: name,
    list: name,
    formats: fc.uniqueArray(pick('csv', 'jsonl', 'xlsx', 'pdf', 'png'), { minLength: 1 }),
    fileName: words,
    destination,
  },
);

const plain = (made: unknown) => JSON.parse(JSON.stringify(made)) as object;

describe("the burst editor's draft", () => {
  it('gives a saved burst back as it was, whatever it says: nothing is lost by looking at it', () => {
    fc.assert(
      fc.property(definition, (made) => {
        const saved = plain(made);
        assert.deepEqual(toDefinition(toDraft(saved, 'Europe/Oslo'), saved), saved);
      }),
      casesOf(500, 26),
    );
  });

  it('holds only definitions that the service reads', () => {
    fc.assert(
      fc.property(definition, (made) => {
        const saved = plain(made);
        const { error } = burstSchema.validate(toDefinition(toDraft(saved, 'Europe/Oslo'), saved), { convert: false });
        assert.equal(error?.message, undefined);
      }),
      casesOf(200, 27),
    );
  });

  it('begins empty, with a letter of a PDF, in the time zone of whoever writes', () => {
    const draft = emptyDraft('Europe/Athens');
    assert.deepEqual([draft.kind, draft.formats, draft.timeZone], ['mail', ['pdf'], 'Europe/Athens']);
    const filled = {
      ...draft,
      name: 'quay-pack',
      title: 'Quay pack',
      report: 'quays',
      list: 'managers',
      fileName: '{quay}',
      subject: 'Pack',
      message: 'Hello',
      bind: [{ parameter: 'quay', column: 'quay' }],
    };
    assert.equal(readBurst(toDefinition(filled)).name, 'quay-pack');
  });

  it('leaves a field out when it is emptied, and what only another kind of destination has when the kind changes', () => {
    const saved = {
      format: 'underbell-burst/1',
      name: 'a',
      title: 'A',
      report: 'r',
      list: 'l',
      formats: ['csv'],
      fileName: 'f',
      summary: 'always',
      destination: { kind: 'mail', subject: 'S', message: 'M', largest: 5, unsubscribe: true },
    };
    const draft = toDraft(saved, 'UTC');
    assert.equal('summary' in toDefinition({ ...draft, summary: '' }, saved), false);
    const moved = toDefinition({ ...draft, kind: 'library', to: 'quay-library' }, saved) as { destination: object };
    assert.deepEqual(moved.destination, { kind: 'library', to: 'quay-library' });
  });

  it('shows every problem in the step whose fields it is about', () => {
    const fields = Object.keys(burstSchema.describe()['keys'] as object).filter(
      (one) => one !== '$schema' && one !== 'format',
    );
    const last = stepOf(undefined);
    for (const field of fields) assert.ok(stepOf(`/${field}/0`) < last, `${field} has a step`);
    assert.equal(stepOf('/nothing'), last);
    assert.ok(stepOf('/destination/subject') > stepOf('bind/quay'));
    assert.ok(destinationKinds.length > 0);
  });
});
