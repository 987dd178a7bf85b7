import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import {
  checkTemplate,
  cutOf,
  fillTemplate,
  isMailAddress,
  planBurst,
  readBurst,
  readPeriod,
  readRecipients,
  recipientsOfCopies,
  runStart,
  safeFileName,
  templateNamesFor,
  templateValues,
  textsOf,
  type BurstDefinition,
} from '../../src/burst/index.ts';
import { refused } from '../refused.ts';

const definition: BurstDefinition = {
  format: 'underbell-burst/1',
  name: 'quay-pack',
  title: 'Quay pack',
  report: 'punctuality',
  list: 'managers',
  bind: { quay: 'quay' },
  period: { unit: 'month', parameter: 'month' },
  formats: ['pdf', 'csv'],
  fileName: '{burst}-{quay}-{period}',
  destination: { kind: 'mail', subject: 'Pack for {quay}', message: 'Hello' },
};
const recipient = (quay: string) => ({ id: quay, address: `${quay.toLowerCase()}@skerrow.example`, values: { quay } });
const period = readPeriod(definition, '2026-10');
const start = { day: '2026-11-23', time: '08:05' };

describe('planBurst', () => {
  const plan = (
    recipients: ReturnType<typeof recipient>[],
    alreadySent = new Map<string, number>(),
    change: Partial<BurstDefinition> = {},
    occurring?: ReadonlySet<string>,
  ) => {
    const changed = { ...definition, ...change };
    const counts: Record<string, number> = { Q001: 12, Q002: 3 };
    return planBurst({
      definition: changed,
      period,
      copies: recipientsOfCopies(changed, recipients).map((one) => {
        const values = textsOf(changed, one, 'quay');
        if (values.length === 0) return { recipient: one, why: 'no value in column quay', rows: 0 };
        const rows = values.reduce((sum, value) => sum + (counts[value] ?? 0), 0);
        return { recipient: one, cut: cutOf(changed, one), rows };
      }),
      alreadySent,
      start,
      ...(occurring ? { occurring: new Map([['quay', occurring]]) } : {}),
    });
  };

  it('says that it is the sender who sees nothing, where nobody can have any rows', () => {
    const blind = { sender: 'Ivo', dataset: 'sailings' };
    const input = { definition, period, alreadySent: new Map<string, number>(), start, blind };
    const copies = ['Q001', 'Q003'].map((quay) => ({
      recipient: recipient(quay),
      cut: cutOf(definition, recipient(quay)),
      rows: 0,
    }));
    const entries = planBurst({ ...input, copies });
    const words = 'the sender Ivo has no access to rows of dataset “sailings”';
    assert.deepEqual(
      entries.map((one) => [one.action, one.reason]),
      [
        ['skip', words],
        ['skip', words],
      ],
    );
    const note = planBurst({ ...input, copies, definition: { ...definition, empty: 'note' } });
    assert.equal(note[0]!.reason, `${words}: message without files`);
  });

  it('looks for what was meant a hundred times and no more, however long a list is that is bound wrongly', () => {
    class Known extends Set<string> {
      walks = 0;
      override [Symbol.iterator]() {
        this.walks++;
        return super[Symbol.iterator]();
      }
    }
    const numbers = Array.from({ length: 10_000 }, (_, i) => String(i).padStart(5, '0'));
    const known = new Known(numbers.map((number) => `Q${number}`));
    const entries = plan(
      numbers.map((number) => recipient(`K${number}`)),
      new Map(),
      {},
      known,
    );
    assert.equal(entries.filter((one) => /or at any time/.test(one.reason ?? '')).length, 10_000);
    assert.equal(entries.filter((one) => /did you mean/.test(one.reason ?? '')).length, 100);
    assert.ok(known.walks <= 2, `all that occurs was walked through ${known.walks} times`);
  });

  it('names files and skips those without rows, with the reason', () => {
    const [one, closed] = plan([recipient('Q001'), recipient('Q003')]);
    assert.deepEqual(
      one?.files.map((file) => file.name),
      ['quay-pack-Q001-2026-10.pdf', 'quay-pack-Q001-2026-10.csv'],
    );
    assert.equal(one?.rows, 12);
    assert.deepEqual([closed?.action, closed?.reason], ['skip', 'no rows for Q003 in October 2026']);
  });

  it('tells a value that never occurs from one without rows in this period, with the nearest', () => {
    const occurring = new Set(['Q001', 'Q002', 'Q003']);
    const reasons = plan([recipient('Q003'), recipient('Q00l'), recipient('north')], undefined, {}, occurring).map(
      (one) => one.reason,
    );
    assert.equal(reasons[0], 'no rows for Q003 in October 2026');
    assert.match(reasons[1]!, /^no rows for Q00l in October 2026, or at any time \(did you mean “Q00[12]”\?\)$/);
    assert.equal(reasons[2], 'no rows for north in October 2026, or at any time');
  });

  it('skips who is not active yet, or not any more', () => {
    const days = [
      { activeFrom: '2026-11-24' },
      { activeTo: '2026-11-22' },
      { activeFrom: '2026-11-23', activeTo: '2026-11-23' },
    ];
    const entries = plan(days.map((one, i) => ({ ...recipient('Q001'), id: String(i), ...one })) as never);
    assert.deepEqual(
      entries.map((one) => one.reason),
      ['active only from 2026-11-24', 'active only until 2026-11-22', undefined],
    );
  });

  it('puts several values into one copy, or into one each', () => {
    const lead = { ...recipient('Q001; Q002 ;Q001;'), id: 'north' };
    const [one] = plan([lead], undefined, { many: { quay: ';' } });
    assert.deepEqual([one?.rows, one?.cut?.fields], [15, { quay: ['Q001', 'Q002'] }]);
    const each = plan([lead], undefined, { many: { quay: ';' }, each: 'quay' });
    assert.deepEqual(
      each.map((entry) => [entry.recipient, entry.rows, entry.files[1]?.name]),
      [
        ['north Q001', 12, 'quay-pack-Q001-2026-10.csv'],
        ['north Q002', 3, 'quay-pack-Q002-2026-10.csv'],
      ],
    );
  });

  it('names a value that never occurs beside others that do', () => {
    const lead = { ...recipient('Q001;Q00l'), id: 'north' };
    const [one] = plan([lead], undefined, { many: { quay: ';' } }, new Set(['Q001', 'Q002']));
    assert.deepEqual([one?.action, one?.rows], ['send', 12]);
    assert.match(one?.reason ?? '', /^no rows at any time for “Q00l” \(did you mean “Q00[12]”\?\)$/);
  });

  it('makes the formats that a recipient wants', () => {
    const [one, none] = plan([
      { ...recipient('Q001'), formats: ['csv'] },
      { ...recipient('Q002'), formats: ['xlsx'] },
    ] as never);
    assert.deepEqual(
      one?.files.map((file) => file.name),
      ['quay-pack-Q001-2026-10.csv'],
    );
    assert.deepEqual([none?.action, none?.reason], ['skip', 'formats xlsx are not in this burst']);
  });

  it('goes through the values that occur once, however long a list is that is bound wrongly', () => {
    let passes = 0;
    class Counted extends Set<string> {
      override [Symbol.iterator]() {
        passes++;
        return super[Symbol.iterator]();
      }
    }
    const known = new Counted(Array.from({ length: 500 }, (_, i) => `Quay ${i}`));
    const copies = Array.from({ length: 3_000 }, (_, i) => ({
      recipient: recipient(`X${i}`),
      cut: { fields: { quay: [`X${i}`] } },
      rows: 0,
    }));
    const occurring = new Map([['quay', known]]);
    const entries = planBurst({ definition, period, copies, alreadySent: new Map(), start, occurring });
    assert.ok(entries.every((one) => one.action === 'skip' && one.reason!.includes('or at any time')));
    assert.equal(passes, 1);
  });

  it('lets no two files of a run have one name, whatever they are made of', () => {
    const named = (values: Record<string, string>) => ({
      recipient: { id: values['quay']!, address: 'x@skerrow.example', values },
      cut: { fields: { quay: [values['quay']!] } },
      rows: 1,
    });
    const mail = { kind: 'mail', subject: 's', message: 'm', page: true } as const;
    const tries = [
      [['north', 'north-filled'], { formats: ['xlsx', 'template'] }],
      [['north', 'north-page'], { formats: ['png'], destination: mail }],
      [['North', 'NORTH'], { formats: ['csv'] }],
      [['ﬁrth', 'firth'], { formats: ['csv'] }],
    ] as const;
    for (const [names, change] of tries) {
      const changed = { ...definition, fileName: '{name}', ...change } as BurstDefinition;
      const copies = names.map((name, i) => named({ quay: `Q00${i + 1}`, name }));
      const entries = planBurst({ definition: changed, period, copies, alreadySent: new Map(), start });
      const sent = entries.filter((one) => one.action === 'send').flatMap((one) => one.files.map((file) => file.name));
      assert.equal(new Set(sent.map((name) => name.normalize('NFKC').toLowerCase())).size, sent.length, names.join());
      assert.match(entries[1]?.reason ?? '', /same file name as Q001/, names.join());
    }
  });

  it('does not send the same period twice', () => {
    const [one] = plan([recipient('Q001')], new Map([['Q001', 4]]));
    assert.deepEqual([one?.action, one?.reason], ['skip', 'already sent in run 4']);
  });

  it('skips whoever has no value and whoever would get the file of another', () => {
    assert.match(plan([recipient('')])[0]?.reason ?? '', /no value/);
    const [, second] = plan([recipient('Q001'), recipient('Q002')], new Map(), { fileName: '{burst}' });
    assert.match(second?.reason ?? '', /same file name as Q001/);
  });
});

describe('readPeriod', () => {
  it('reads months and days as they are written', () => {
    assert.deepEqual(period, { name: '2026-10', words: 'October 2026', value: '2026-10-01' });
    for (const text of ['2026-13', '2026-1', 'October', '2026-10-01', ''])
      refused('INPUT_INVALID', () => readPeriod(definition, text));
    refused('INPUT_INVALID', () => readPeriod(definition, undefined));
    refused('INPUT_INVALID', () => readPeriod({ ...definition, period: undefined }, '2026-10'));
    const weekly = { ...definition, period: { unit: 'week', parameter: 'month' } } as const;
    assert.deepEqual(
      [readPeriod(weekly, '2026-w53').name, readPeriod(weekly, '2026-W53').value],
      ['2026-W53', '2026-12-28'],
    );
    for (const text of ['2025-W53', '2026-W00', 'last week', '2026-12-28', '2026-12-28/2027-01-03'])
      refused('INPUT_INVALID', () => readPeriod(weekly, text));
  });
});

describe('readRecipients', () => {
  it('names every mistake with its row', () => {
    const rows = [
      { quay: 'Q1', email: 'a@b.example' },
      { quay: 'Q1', email: 'no address' },
      { quay: '', email: '' },
    ];
    const { details } = refused('LIST_INVALID', () => readRecipients(rows, { id: 'quay', address: 'email' }));
    assert.deepEqual(
      details.problems?.map((one) => one.at),
      ['row 3, column quay', 'row 3, column email', 'row 4, column quay', 'row 4, column email'],
    );
    assert.match(details.problems?.[0]?.message ?? '', /row 2/);
  });

  it('leaves invalid rows out where that is wished, and lists them', () => {
    const rows: Record<string, string>[] = [
      { quay: 'Q1', email: '' },
      { quay: 'Q1', email: 'a@b.example' },
      { quay: 'Q2', email: 'c@d.example', joined: 'soon' },
      { quay: 'Q1', email: 'e@f.example' },
    ];
    const columns = { id: 'quay', address: 'email' };
    const options = { types: { joined: 'date' }, invalidRows: 'skip' } as const;
    const { recipients, skipped } = readRecipients(rows, columns, options);
    // An invalid row takes no identity away from a valid one.
    assert.deepEqual(
      recipients.map((one) => one.address),
      ['a@b.example'],
    );
    assert.equal(skipped?.rows, 3);
    assert.deepEqual(
      skipped.problems.map((one) => one.at),
      ['row 2, column email', 'row 4, column joined', 'row 5, column quay'],
    );
    assert.equal(readRecipients([rows[1]!], columns, options).skipped, undefined);
    refused('LIST_INVALID', () => readRecipients([rows[0]!], columns, options));
  });

  it('knows a mail address from what is none', () => {
    for (const text of ['a@b.example', "o'neil+x@mail.b-c.example"]) assert.equal(isMailAddress(text), true, text);
    for (const text of [
      'a',
      'a@b',
      '@b.example',
      'a@@b.example',
      'a b@c.example',
      '.a@b.example',
      'a..b@c.example',
      'a@b.example\nBcc: x@y.example',
      'a@-b.example',
      'a@b.example,c@d.example',
    ]) {
      assert.equal(isMailAddress(text), false, text);
    }
  });
});

describe('templates', () => {
  it('are filled with columns, parameters, the period and the time of the run', () => {
    const changed = { ...definition, bind: { quay: 'quays', line: 'line_no' }, many: { quays: ';' } };
    const one = {
      id: 'north',
      address: 'n@skerrow.example',
      values: { quays: 'Q001; Q002', line_no: '7', line: 'own' },
    };
    const values = templateValues({ definition: changed, period, start }, one);
    const names = templateNamesFor(changed, Object.keys(one.values));
    assert.deepEqual(names.toSorted(), Object.keys(values).toSorted());
    assert.equal(
      fillTemplate('{quay}/{line}/{month}/{period_words}/{run_day} {run_time}', values),
      'Q001, Q002/own/2026-10/October 2026/2026-11-23 08:05',
    );
    assert.equal(safeFileName(fillTemplate('{burst} {run_time}', values)), 'quay-pack 08-05');
    assert.deepEqual(runStart(Date.UTC(2026, 9, 25, 0, 59), 'Europe/Berlin'), { day: '2026-10-25', time: '02:59' });
  });

  it('fill what is known and refuse what is not', () => {
    assert.equal(fillTemplate('{quay}: { period }', { quay: 'Q1', period: '2026' }), 'Q1: 2026');
    checkTemplate('{quay}', ['quay'], '/fileName');
    assert.equal(
      refused('BURST_INVALID', () => checkTemplate('{Quay}', ['quay'], '/fileName')).details.nearest?.[0],
      'quay',
    );
  });

  it('make file names that no system minds', () => {
    assert.equal(safeFileName('../a/b:c*?"<>|'), '-a-b-c------'.replace('-a', '-a'));
    assert.equal(safeFileName('con'), 'copy-con');
    assert.equal(safeFileName(' . '), 'copy-');
    assert.equal(safeFileName('Ostle\r\nQuay'), 'Ostle--Quay');
  });
});

describe('readBurst', () => {
  it('points at every mistake', () => {
    const { details } = refused('BURST_INVALID', () =>
      readBurst({ ...definition, format: 'underbell-burst/2', formats: ['xls'], filename: 'x' }),
    );
    assert.deepEqual(details.problems?.map((one) => one.at).sort(), ['/filename', '/format', '/formats/0']);
  });
});
