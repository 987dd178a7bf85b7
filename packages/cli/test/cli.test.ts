import assert from 'node:assert/strict';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { packBook, quayBookParts } from '@underbell/demo/quayBook';
import { administrator, House, manager, publisher, until } from '../../service/test/house.ts';
import { runUnderbell } from './underbell.ts';

describe('underbell', () => {
  let house: House;
  let folder: string;
  before(async () => {
    house = await House.open({ hasDemo: true });
    folder = mkdtempSync(join(house.folder, 'cli-'));
  });
  after(() => house.close());

  const underbell = (args: string[], more: Record<string, string> = {}) =>
    runUnderbell(args, { UNDERBELL_CREDENTIALS: join(house.folder, 'cli.json'), ...more });
  const json = async <T>(...args: string[]) => JSON.parse((await underbell([...args, '--json'])).out) as T;
  const file = (name: string, text: string) => {
    writeFileSync(join(folder, name), text);
    return join(folder, name);
  };

  it('is signed in as the publisher of the demo', async () => {
    assert.match((await underbell(['whoami'])).out, /Mara Venn/);
    assert.equal((await json<{ person: { email: string } }>('whoami')).person.email, publisher);
  });

  it('signs in and out', async () => {
    const own = { UNDERBELL_CREDENTIALS: join(folder, 'own.json'), UNDERBELL_PASSWORD: 'lantern-quay-7' };
    const signedIn = await underbell(['sign-in', manager, '--url', house.url], own);
    assert.deepEqual([signedIn.code, signedIn.out.trim()], [0, 'Signed in as Kira Arkwell.']);
    assert.equal((await underbell(['dataset', 'show', 'sailings'], own)).code, 4);
    assert.equal((await underbell(['preview-as', 'quay-punctuality', '--viewer', publisher], own)).code, 3);
    assert.equal((await underbell(['sign-out'], own)).code, 0);
    assert.equal((await underbell(['whoami'], own)).code, 3);
    assert.equal(
      (await underbell(['sign-in', manager, '--url', house.url], { ...own, UNDERBELL_PASSWORD: 'wrong' })).code,
      3,
    );
  });

  it('creates and deletes signing keys, for administrators', async () => {
    const admin = { UNDERBELL_CREDENTIALS: join(folder, 'admin.json'), UNDERBELL_PASSWORD: 'lantern-quay-7' };
    await underbell(['sign-in', administrator, '--url', house.url], admin);
    assert.equal((await underbell(['signing-key', 'list'])).code, 3);
    const made = JSON.parse((await underbell(['signing-key', 'create', '--json'], admin)).out) as { id: string };
    assert.match((await underbell(['signing-key', 'list'], admin)).out, new RegExp(`${made.id} +ES256`));
    assert.equal((await underbell(['signing-key', 'delete', made.id], admin)).code, 0);
    assert.equal((await underbell(['signing-key', 'delete', made.id.replace(/^./, 'x')], admin)).code, 2);
    assert.equal((await underbell(['signing-key', 'create', '--algorithm', 'none'], admin)).code, 2);
  });

  it('changes one’s own password, which ends every other session', async () => {
    const [old, next] = ['lantern-quay-7', 'gulls over seven harbours'];
    const email = 'ada.arkwell.q001@skerrow.example';
    const at = (name: string) => ({ UNDERBELL_URL: house.url, UNDERBELL_CREDENTIALS: join(folder, name) });
    for (const name of ['here.json', 'there.json'])
      assert.equal((await underbell(['sign-in', email], { ...at(name), UNDERBELL_PASSWORD: old })).code, 0);
    const change = (current: string, password: string) =>
      underbell(['password'], {
        ...at('here.json'),
        UNDERBELL_PASSWORD: current,
        UNDERBELL_NEW_PASSWORD: password,
      });
    assert.match((await change('wrong', next)).errors, /SIGN_IN_FAILED/);
    assert.equal((await change(old, 'short')).code, 2);
    assert.match((await change(old, next)).out, /Password changed/);
    assert.equal((await underbell(['whoami'], at('here.json'))).code, 0);
    assert.equal((await underbell(['whoami'], at('there.json'))).code, 3);
    assert.equal((await underbell(['sign-in', email], { ...at('there.json'), UNDERBELL_PASSWORD: old })).code, 3);
  });

  it('loads a file, shows the types and gives the rows back', async () => {
    const path = file('works.csv', 'Quay,Days,Note\nQ017,3,"a, b"\nQ018,,\n');
    const loaded = await json<{ rows: number; columns: { name: string; type: string }[] }>(
      'dataset',
      'upload',
      path,
      '--name',
      'works',
      '--shared-key',
      'quay=quay',
    );
    assert.deepEqual([loaded.rows, loaded.columns.map((one) => one.type)], [2, ['text', 'integer', 'text']]);
    assert.deepEqual(await json('dataset', 'rows', 'works', '--filter', "quay = 'Q017'"), [
      { quay: 'Q017', days: 3, note: 'a, b' },
    ]);
    assert.deepEqual(await json('dataset', 'rows', 'works', '--filter', "quay = 'Q0'"), []);
    assert.equal(
      (await underbell(['dataset', 'rows', 'works', '--csv'])).out,
      'quay,days,note\r\nQ017,3,"a, b"\r\nQ018,,\r\n',
    );
    assert.match((await underbell(['dataset', 'rows', 'works'])).out, /2 rows/);
  });

  it('refuses a filter with a typo: exit code 2, the word, the place, the nearest name', async () => {
    const { code, out, errors } = await underbell([
      'dataset',
      'rows',
      'sailings',
      '--filter',
      "quay_ID = 'Q017'",
      '--csv',
    ]);
    assert.deepEqual([code, out], [2, '']);
    assert.match(errors, /no column “quay_ID”[\s\S]*line 1, column 1[\s\S]*“quay_id”[\s\S]*FILTER_UNKNOWN_COLUMN/);
    const { code: again, out: said } = await underbell([
      'dataset',
      'rows',
      'sailings',
      '--filter',
      "quay_ID = 'Q017'",
      '--json',
    ]);
    assert.deepEqual([again, (JSON.parse(said) as { code: string }).code], [2, 'FILTER_UNKNOWN_COLUMN']);
  });

  it('checks and publishes a report', async () => {
    const definition = JSON.parse(
      readFileSync(new URL('../../../demo/definitions/quay-punctuality.report.json', import.meta.url), 'utf8'),
    ) as Record<string, unknown>;
    const good = file('good.report.json', JSON.stringify(definition));
    assert.deepEqual(await json('report', 'check', good), { name: 'quay-punctuality', pages: 1, figures: 7 });
    assert.deepEqual(await json('report', 'publish', good, '--notes', 'again'), {
      name: 'quay-punctuality',
      edition: 2,
    });
    const bad = await underbell([
      'report',
      'check',
      file('bad.report.json', JSON.stringify({ ...definition, titel: 'x', datasets: { sailing: {} } })),
    ]);
    assert.equal(bad.code, 2);
    assert.match(bad.errors, /titel/);
    const broken = await underbell(['report', 'check', file('broken.json', '{\n  "a": 1,\n}')]);
    assert.equal(broken.code, 2);
    assert.match(broken.errors, /line 3/);
    assert.equal((await underbell(['report', 'check', join(folder, 'none.json')])).code, 4);
  });

  it('shows what a person would see', async () => {
    const { out } = await underbell(['preview-as', 'quay-punctuality', '--viewer', manager]);
    assert.match(out, /row rule\s+own-quay\s+quay is Q017/);
    assert.equal((await underbell(['preview-as', 'quay-punctuality', '--viewer', 'nobody@skerrow.example'])).code, 4);
    assert.equal(
      (await underbell(['preview-as', 'quay-punctuality', '--viewer', manager, '--param', 'Quay=Q1'])).code,
      2,
    );
    // What could be done by the API alone.
    for (const [words, shown] of [
      [['burst', 'show', 'quay-pack', '--json'], /underbell-burst\/1/],
      [['dataset', 'set-columns', 'sailings', '--unit', 'passengers=people'], /people/],
      [['user-attribute', 'list'], /quay/],
      [['access-request', 'mine'], /number/],
      [['user', 'show', manager], /quay: Q017/],
      [['burst', 'pause-schedule', 'kiosk-takings'], /“kiosk-takings”: schedule paused/],
      [['burst', 'resume-schedule', 'kiosk-takings'], /every month/],
      [['client', 'show', 'harbour-portal'], /signs in by a secret/],
    ] as const) {
      const done = await underbell([...words]);
      assert.equal(done.code, 0, `${words.join(' ')}: ${done.out}`);
      assert.match(done.out, shown, words.join(' '));
    }
    for (const [words, nearest] of [
      [['dataset', '--json'], undefined],
      [['datset', 'list', '--json'], 'dataset'],
      [['dataset', 'upload', '--json'], undefined],
      [['dataset', 'list', '--jsn', '--json'], '--json'],
    ] as const) {
      const wrong = await underbell([...words]);
      const document = JSON.parse(wrong.out) as { code: string; nearest?: string[] };
      assert.deepEqual([wrong.code, document.code, document.nearest?.[0]], [2, 'OPTION_UNKNOWN', nearest], wrong.out);
    }
  });

  it('adds a rule, a placement, a client and a token', async () => {
    assert.equal(
      (
        await underbell([
          'row-rule',
          'save',
          'works',
          'own',
          '--group',
          'Quay managers',
          '--filter',
          "quay = person('quay')",
        ])
      ).code,
      0,
    );
    assert.match((await underbell(['row-rule', 'list', 'works'])).out, /group Quay managers/);
    assert.equal((await underbell(['row-rule', 'save', 'works', 'own', '--filter', 'TRUE'])).code, 2);
    assert.match(
      (
        await underbell([
          'placement',
          'save',
          'board-page',
          '--report',
          'quay-punctuality',
          '--title',
          'Board',
          '--origin',
          'https://board.example',
        ])
      ).out,
      /<under-bell src=/,
    );
    assert.equal(
      (
        await underbell([
          'placement',
          'save',
          'board-page',
          '--report',
          'quay-punctuality',
          '--title',
          'Board',
          '--origin',
          'board.example',
        ])
      ).code,
      2,
    );
    assert.match(
      (
        await json<{ secret: string }>(
          'client',
          'create',
          'second',
          '--title',
          'Second',
          '--report',
          'quay-punctuality',
        )
      ).secret,
      /^ubc_/,
    );
    const token = (
      await underbell([
        'token',
        'issue',
        '--client',
        'second',
        '--report',
        'quay-punctuality',
        '--filter',
        "sailings=quay_id = 'Q017'",
      ])
    ).out.trim();
    assert.equal(token.split('.').length, 3);
    assert.equal((await underbell(['token', 'issue', '--client', 'second', '--report', 'quay-punctuality'])).code, 3);
  });

  it('plans, runs and shows a burst', async () => {
    type Counts = {
      counts: { recipients: number; planned: number; skipped: number; sent: number; failed: number };
      entries: { rows: number; files: unknown[]; reason?: string | null }[];
    };
    const plan = await json<Counts>('burst', 'preview', 'quay-pack', '--period', '2026-10');
    assert.deepEqual(
      [plan.counts.recipients, plan.counts.planned, plan.counts.skipped, plan.counts.sent, plan.entries.length],
      [52, 46, 6, 0, 52],
    );
    const { code, out, errors } = await underbell(['burst', 'run', 'quay-pack', '--period', '2026-10']);
    assert.equal(code, 0, errors);
    assert.match(out, /done in .* 46 sent, 6 skipped, 0 failed/);
    assert.match(errors, /reading rows and figures of all/);
    const status = await json<Counts>('burst', 'status', 'quay-pack');
    assert.deepEqual([status.counts.sent, status.counts.failed, status.entries.length], [46, 0, 52]);
    assert.equal((await json<Counts>('burst', 'run', 'quay-pack', '--period', '2026-10')).counts.skipped, 52);
    assert.equal(house.mail.mails.length, 46);
    assert.equal((await underbell(['burst', 'preview', 'quay-pack'])).code, 2);
    assert.equal((await underbell(['burst', 'preview', 'quay-pak', '--period', '2026-10'])).code, 4);
  });

  it('waits with a run for its destination, and stops it from elsewhere: exit code 1', async () => {
    const runAction = (act: string) => house.call('POST', `/api/v1/destinations/mail/${act}`, { as: administrator });
    assert.equal((await runAction('pause')).status, 200);
    const running = underbell(['burst', 'run', 'quay-pack', '--period', '2026-09']);
    const { id } = await until(async () => {
      const status = await json<{ id: number; state: string; phase: string }>('burst', 'status', 'quay-pack');
      return status.phase.startsWith('waits') ? status : undefined;
    });
    assert.match((await underbell(['destination', 'list'])).out, /paused: by Osric Hale/);
    assert.equal((await underbell(['burst', 'cancel', String(id)])).code, 0);
    const { code, errors } = await running;
    assert.equal(code, 1);
    assert.match(errors, /waits: destination “mail” is paused by Osric Hale/);
    assert.equal((await runAction('resume')).status, 200);
  });

  it('saves destinations, tries them out, and loads prepared workbooks and lists', async () => {
    assert.match(
      (await underbell(['destination', 'test', 'quay-library'])).out,
      /written, not overwritten, read back and deleted/,
    );
    const closed = await underbell(['destination', 'test', 'harbour-archive']);
    assert.equal(closed.code, 1);
    assert.match(closed.errors, /507 .*full/);
    const added = await underbell([
      'destination',
      'save',
      'rota',
      'http://127.0.0.1:9/copies',
      '--type',
      'webhook',
      '--rate-limit',
      '3 per 10 s',
    ]);
    assert.match(added.out, /3 per 10 seconds, 5 in parallel[\s\S]*whsec_/);
    assert.equal(
      (
        await underbell([
          'destination',
          'save',
          'rota',
          'http://127.0.0.1:9',
          '--type',
          'webhook',
          '--rate-limit',
          'fast',
        ])
      ).code,
      2,
    );
    assert.equal((await underbell(['destination', 'delete', 'rota'])).code, 0);
    const book = join(folder, 'book.xlsx');
    writeFileSync(book, packBook(quayBookParts()));
    const shown = await underbell(['template', 'upload', book, '--name', 'second-book', '--table', 'Sailings']);
    assert.match(shown.out, /second-book, version 1: book\.xlsx, data goes to table Sailings/);
    assert.match(shown.out, /Fare each +formula/);
    assert.equal((await underbell(['template', 'upload', book, '--name', 'third', '--table', 'Sailing'])).code, 2);
    assert.match((await underbell(['template', 'list'])).out, /second-book/);
    const leads = await underbell([
      'list',
      'save',
      '--name',
      'leads',
      '--group',
      'District leads',
      '--copy-per',
      'district',
    ]);
    assert.match(leads.out, /“leads” saved, version 1: \d+ recipients?/);
    assert.equal((await underbell(['list', 'save', '--name', 'leads'])).code, 2);
    const plan = await underbell(['burst', 'preview', 'quay-book', '--period', '2026-10']);
    assert.match(
      plan.out,
      /Workbook template “quay-book”, version 1: filled Sailed on.*; formulas Fare each; not filled Remarks/,
    );
  });

  it('masks, groups, rights and people', async () => {
    const masked = await underbell([
      'mask',
      'save',
      'sailings',
      'by-month',
      '--reduce',
      'sailed_on',
      '--to',
      'month',
      '--placement-type',
      'screen',
    ]);
    assert.equal(masked.out.trim(), 'Mask “by-month” of dataset “sailings” saved.');
    assert.match(
      (await underbell(['mask', 'list', 'sailings'])).out,
      /by-month +place screen +sailed on is shown by month/,
    );
    assert.equal((await underbell(['mask', 'save', 'sailings', 'x'])).code, 2);
    assert.equal((await underbell(['mask', 'save', 'sailings', 'x', '--hide', 'vesel'])).code, 2);
    assert.equal((await underbell(['mask', 'delete', 'sailings', 'by-month'])).code, 0);
    const tried = await underbell([
      'row-rule',
      'test',
      'sailings',
      '--filter',
      "quay_id = person('quay')",
      '--as',
      manager,
    ]);
    assert.match(tried.out, /Meaning: quay is Q017\nKira Arkwell sees \d+ of \d,\d+ rows/);
    assert.match((await underbell(['group', 'list'])).out, /District leads +4 .*identity provider/);
    assert.match(
      (await underbell(['permission', 'list', 'folder', 'operations'])).out,
      /group Quay managers +view +folder operations +no/,
    );
    assert.equal((await underbell(['permission', 'grant', 'folder', 'operations', 'view'])).code, 2);
    assert.equal(
      (await underbell(['permission', 'grant', 'folder', 'operations', 'view', '--user', 'nobody@x.example'])).code,
      4,
    );
    assert.match(
      (await underbell(['user', 'list'])).out,
      /quay17@skerrow\.example +Kira Arkwell +active +Quay managers +quay=Q017/,
    );
    const invited = await underbell([
      'user',
      'invite',
      'ada@harbour.example',
      '--name',
      'Ada',
      '--organisation',
      'Harbour',
      '--report',
      'quay-punctuality',
    ]);
    assert.match(invited.out, /^Invitation sent to “ada@harbour\.example”\. It expires on \d{4}-\d{2}-\d{2}\.$/m);
    assert.equal((await underbell(['audit-log', 'verify'])).code, 3);
    assert.equal((await underbell(['access-request', 'list'])).out.trim(), 'No access requests.');
  });

  it('sees as a person, a program, a recipient, and compares two', async () => {
    const two = await underbell([
      'preview-as',
      'quay-punctuality',
      '--viewer',
      'ines.holt@skerrow.example',
      '--compare',
      manager,
    ]);
    assert.match(two.out, /mask no-vessels: vessel is hidden/);
    assert.match(two.out, /sailings: both 0 rows; only Ines Holt \d+ rows; only Kira Arkwell \d+ rows/);
    assert.equal((await underbell(['preview-as', 'quay-punctuality', '--viewer', 'client:harbour-portal'])).code, 3);
    const program = await underbell([
      'preview-as',
      'quay-punctuality',
      '--viewer',
      'client:harbour-portal',
      '--token-filter',
      "sailings=quay_id = 'Q017'",
      '--placement',
      'quay-page',
    ]);
    assert.match(program.out, /token +harbour-portal +quay is Q017/);
    const copy = await underbell(['burst', 'preview-copy', 'quay-pack', 'Q017', '--period', '2026-10']);
    assert.match(copy.out, /burst +quay-pack +quay is Q017/);
    assert.equal((await underbell(['burst', 'preview-copy', 'quay-pack', 'Q999', '--period', '2026-10'])).code, 4);
  });

  it('explains itself, and calls wrong use by its exit code', async () => {
    const help = await underbell(['--help']);
    assert.deepEqual([help.code, /Exit codes/.test(help.out)], [0, true]);
    for (const args of [
      ['nothing'],
      ['burst', 'preview'],
      ['dataset', 'rows', 'sailings', '--were', 'x'],
      ['dataset', 'upload', 'x'],
    ]) {
      assert.equal((await underbell(args)).code, 2, args.join(' '));
    }
    const elsewhere = { UNDERBELL_URL: 'http://127.0.0.1:9', UNDERBELL_PASSWORD: 'none' };
    // A sign-in to one service is none to another.
    assert.equal((await underbell(['whoami'], elsewhere)).code, 3);
    const away = await underbell(['sign-in', 'ada@skerrow.example'], elsewhere);
    assert.equal(away.code, 1);
    assert.match(away.errors, /SERVICE_UNREACHABLE/);
    assert.match((await underbell(['completion'])).out, /complete .* underbell/);
  });

  it('writes a first report, which publishes as it is, and compares its editions', async () => {
    const path = join(folder, 'first.report.json');
    assert.match((await underbell(['report', 'draft', 'kiosk-takings', '--out', path])).out, /Publish it/);
    assert.equal((await underbell(['report', 'draft', 'kiosk-takings', '--out', path])).code, 2);
    assert.equal((await underbell(['report', 'publish', path])).code, 0);
    const definition = JSON.parse(readFileSync(path, 'utf8')) as { title: string };
    const second = file('second.report.json', JSON.stringify({ ...definition, title: 'Kiosks' }));
    await underbell(['report', 'publish', second, '--notes', 'shorter']);
    const { out } = await underbell(['report', 'compare', 'kiosk-takings-report', '1', '2']);
    assert.match(out, /~ report kiosk-takings-report\n {4}title: "Kiosk takings" → "Kiosks"/);
    assert.match(
      (await underbell(['report', 'rollback', 'kiosk-takings-report', '1'])).out,
      /rolled back to edition 1/,
    );
    assert.match((await underbell(['report', 'retire', 'kiosk-takings-report', '2'])).out, /retired/);
    assert.equal((await underbell(['report', 'retire', 'kiosk-takings-report', '1'])).code, 2);
  });

  it('finds things, throws them away and takes them back', async () => {
    assert.match((await underbell(['search', 'tern', 'light'])).out, /No results/);
    assert.match((await underbell(['search', 'delay_minutes'])).out, /dataset +sailings/);
    const refused = await underbell(['report', 'delete', 'takings']);
    assert.deepEqual([refused.code, /board harbour/.test(refused.errors)], [2, true]);
    assert.equal((await underbell(['report', 'delete', 'takings', '--force'])).code, 0);
    assert.match((await underbell(['trash', 'list'])).out, /report +takings/);
    assert.match((await underbell(['trash', 'restore', 'report', 'takings'])).out, /Restored report “takings”/);
    assert.match(
      (await underbell(['folder', 'save', 'deep', '--title', 'Deep', '--parent', 'operations'])).out,
      /saved in “operations”/,
    );
    assert.equal((await underbell(['folder', 'move', 'report', 'takings', '--to', 'deep'])).code, 0);
  });

  it('examines a file and takes it, lists boards, plans refreshes', async () => {
    const path = file('stock.csv', 'code,amount\n007,1\n008,2\n');
    const examined = await json<{ id: string; rows: number }>('dataset', 'inspect', path);
    assert.equal(examined.rows, 2);
    const taken = await underbell(['dataset', 'import', examined.id, '--name', 'stock', '--shared-key', 'code=part']);
    assert.match(taken.out, /“stock” imported, version 1: 2 rows/);
    assert.match((await underbell(['dataset', 'profile', 'stock'])).out, /amount +0 +2 +1 +2/);
    assert.match((await underbell(['board', 'list'])).out, /harbour/);
    assert.match((await underbell(['board', 'show', 'harbour'])).out, /punctuality \/ overview \/ on-time/);
    const planned = await underbell([
      'dataset',
      'schedule',
      'sailings',
      '--rrule',
      'FREQ=DAILY;BYHOUR=6;BYMINUTE=0',
      '--time-zone',
      'Europe/Berlin',
    ]);
    assert.match(planned.out, /Next refresh of “sailings”: 20/);
    assert.equal((await underbell(['dataset', 'schedule', 'sailings', '--rrule', 'FREQ=NEVER'])).code, 2);
    assert.match(
      (await underbell(['dataset', 'schedule', 'sailings', '--remove'])).out,
      /Schedule of “sailings” removed/,
    );
    assert.match((await underbell(['dataset', 'webhook', 'sailings'])).out, /POST http/);
  });
});
