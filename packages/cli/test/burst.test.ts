import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import type { DeliveryLog, ShownPlan, ShownPlanEntry } from '@underbell/core/burst/apiTypes';
import { showPlan } from '../src/burst/preview.ts';
import { exitCodeOf, summaryLine } from '../src/burst/runProgress.ts';
import { faint, line } from '../src/platform/output.ts';
import { printed } from './printed.ts';

const entry = (recipient: string, more: Partial<ShownPlanEntry> = {}): ShownPlanEntry => ({
  recipient,
  address: `${recipient.toLowerCase()}@skerrow.example`,
  rows: 1_234,
  files: [
    { name: `pack-${recipient}.pdf`, format: 'pdf' },
    { name: `pack-${recipient}-page.png`, format: 'png', isInline: true },
  ],
  action: 'send',
  filter: `quay is ${recipient}`,
  ...more,
});
const plan = (change: Partial<ShownPlan> = {}): ShownPlan => ({
  burst: 'quay-pack',
  title: 'Quay pack',
  period: { name: '2026-10', words: 'October 2026' },
  sender: 'Mara Venn',
  edition: 1,
  data: [],
  parameters: [],
  limits: [{ origin: 'row rule', name: 'whole-network', words: 'everything' }],
  strategy: { kind: 'one pass', because: 'quay tells the copies apart' },
  cut: { dataset: 'sailings', by: [{ parameter: 'quay', listColumn: 'quay' }], where: {} },
  asSeenBy: 'sender',
  release: [],
  counts: { recipients: 2, planned: 1, skipped: 1, sent: 0, failed: 0, rows: 1_234, files: 1 },
  costs: { rowsRead: 1_234, computingMs: 0, bytes: 0, unknown: ['pdf'], limits: [] },
  destination: { name: 'mail', kind: 'mail', state: 'ready', reason: null, limits: [], leastMs: 0 },
  gone: [],
  bounced: [],
  bytes: 0,
  entries: [entry('Q001'), entry('Q002', { rows: 0, files: [], action: 'skip', reason: 'no rows for Q002' })],
  ...change,
});
const shown = (change: Partial<ShownPlan> = {}) => printed(() => showPlan(plan(change)));

describe('a plan on a terminal', () => {
  it('says who gets what, who does not and why, and that nothing was sent', () => {
    const text = shown();
    assert.match(text, /^recipient +email +rows +files +remarks$/m);
    assert.match(text, /^Q001 +q001@skerrow\.example +1,234 +pack-Q001\.pdf$/m);
    assert.match(text, /^Q002 +q002@skerrow\.example +0 +no rows for Q002$/m);
    assert.match(text, /filter of all copies, row rule whole-network: everything/);
    assert.match(text, /row rules of the sender Mara Venn apply to each copy/);
    assert.match(text, /October 2026: 1 copy of 1,234 rows, 1 file; 1 of 2 recipients skipped. Not sent yet\.\n$/);
  });

  it('says what it costs as far as that is known', () => {
    assert.match(shown(), /1,234 rows read\. Usage is not known: no pdf file was created here yet\./);
    const costs = { rowsRead: 2_000, computingMs: 4_200, bytes: 3_400_000, unknown: [], limits: [] };
    assert.match(shown({ costs }), /Estimated usage: 4\.2 s of compute, 2,000 rows read, 3\.4 MB\./);
    const limits = [
      { folder: 'operations', words: 'used 850 of 900 s', state: 'warned' as const },
      { folder: 'board', words: 'used 901 of 900 s', state: 'stopped' as const },
      { folder: 'quiet', words: 'used 1 of 900 s', state: 'fine' as const },
    ];
    const text = shown({ costs: { ...costs, limits } });
    assert.match(text, /Folder “operations”: used 850 of 900 s\. This run comes near the usage limit\./);
    assert.match(
      text,
      /Folder “board”: used 901 of 900 s\. This run reaches the usage limit; scheduled work is blocked after it\./,
    );
    assert.doesNotMatch(text, /quiet/);
  });

  it('stands beside the run before', () => {
    const text = shown({
      before: { run: 7, period: '2026-09', copies: 46, expectedMs: 8_400 },
      gone: ['Q009'],
      bytes: 500_000,
      entries: [entry('Q001', { rowsBefore: 300, mark: 'much bigger' }), entry('Q003', { mark: 'new' })],
    });
    assert.match(text, /rows in the last run +unusual/);
    assert.match(text, /^Q001 .* 1,234 +300 +much bigger/m);
    assert.match(
      text,
      /Compared with run 7 \(2026-09, 46 copies\): 2 unusual, removed: Q009\. Estimate: 500 kB, about 8 s\./,
    );
  });

  it('says where it goes, how long that takes, and what stands in its way', () => {
    assert.match(shown(), /^Destination: email\.$/m);
    const destination = {
      name: 'quay-library',
      kind: 'library',
      state: 'failing' as const,
      reason: 'the library is full',
      limits: ['20 per 2 s'],
      leastMs: 4_000,
      folder: '2026-10',
      isAnnounced: true,
    };
    const text = shown({ destination, release: ['osric.hale@skerrow.example'] });
    assert.match(
      text,
      /^Destination: library “quay-library”, folder 2026-10, with a notification email; rate limits: 20 per 2 s, at least 4 s\.$/m,
    );
    assert.match(text, /The destination is failing: the library is full\. The run will wait for it\./);
    assert.match(text, /Approval needed by osric\.hale@skerrow\.example/);
  });

  it('says what a prepared workbook does with the rows', () => {
    const template = {
      name: 'quay-book',
      version: 2,
      filled: ['Quay', 'Day'],
      computed: ['Late'],
      left: ['Remarks'],
      unused: [],
      warnings: ['a picture is not looked into'],
    };
    const text = shown({ template });
    assert.match(
      text,
      /Workbook template “quay-book”, version 2: filled Quay, Day; formulas Late; not filled Remarks\./,
    );
    assert.match(text, /Note: a picture is not looked into\./);
  });

  it('says when the run would be refused, and whose last copy came back', () => {
    const entries = [entry('Q002', { rows: 0, files: [], action: 'refuse', reason: 'no rows' })];
    const text = shown({ entries, bounced: [{ recipient: 'Q007', reason: '5.1.1 unknown' }], asSeenBy: 'recipient' });
    assert.match(text, /The run will be rejected: 1 recipient without rows\./);
    assert.match(text, /The last email to “Q007” bounced: 5\.1\.1 unknown\./);
    assert.match(text, /row rules of the sender and of the recipient apply to each copy/);
  });

  it('is not steered by what a mail host said', () => {
    const reason = '\u001b]0;owned\u0007\u001b[2J550 gone\u009b1m';
    const text = shown({ bounced: [{ recipient: 'Q007', reason }], title: 'Pack\u001b[31m' });
    assert.doesNotMatch(text, /[\u001b\u0007\u009b]/);
    assert.match(text, /550 gone/);
  });
});

describe('a line', () => {
  it('keeps the looks that the program gives it, and no others', () => {
    assert.equal(
      printed(() => line(`\u001b[2mfaint\u001b[22m \u001b[31mred`)),
      '\u001b[2mfaint\u001b[22m \ufffd[31mred\n',
    );
    assert.equal(
      printed(() => line('two\nlines\tand a tab')),
      'two\nlines\tand a tab\n',
    );
    assert.equal(faint('plain where no terminal is'), 'plain where no terminal is');
  });
});

describe('what became of a run', () => {
  const run = (change: Partial<DeliveryLog>, counts: Partial<DeliveryLog['counts']> = {}): DeliveryLog =>
    ({
      id: 7,
      burst: 'quay-pack',
      period: '2026-10',
      state: 'done',
      isTest: false,
      startedAt: '2026-11-01T06:00:00.000Z',
      finishedAt: '2026-11-01T06:00:04.250Z',
      ...change,
      counts: { sent: 46, skipped: 6, failed: 0, inDoubt: 0, ...counts },
    }) as DeliveryLog;

  it('is an exit code: 0 all of it, 5 a part, 1 nothing', () => {
    const codes = (['done', 'partly', 'failed', 'stopped'] as const).map((state) => exitCodeOf(run({ state })));
    assert.deepEqual(codes, [0, 5, 1, 1]);
  });

  it('is a line', () => {
    assert.equal(
      printed(() => summaryLine(run({}))),
      'Run 7 of quay-pack for 2026-10: done in 4.3 s. 46 sent, 6 skipped, 0 failed.\n',
    );
    assert.equal(
      printed(() => summaryLine(run({ state: 'partly', isTest: true, error: 'mail host away' }, { inDoubt: 2 }))),
      'Test run 7 of quay-pack for 2026-10: partly in 4.3 s. 46 sent, 6 skipped, 0 failed, 2 unconfirmed. mail host away\n',
    );
    assert.match(
      printed(() => summaryLine(run({ startedAt: null, state: 'stopped' }))),
      /: stopped\. 46 sent/,
    );
  });
});
