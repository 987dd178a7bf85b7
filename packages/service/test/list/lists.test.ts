import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import { writeWorkbook } from '@underbell/core/workbook';
import { House, manager, publisher } from '../house.ts';

interface Listed {
  readonly version: number;
  readonly recipients: readonly {
    readonly id: string;
    readonly address: string;
    readonly values: Record<string, string>;
  }[];
}
interface Plan {
  readonly entries: readonly {
    readonly recipient: string;
    readonly action: string;
    readonly reason?: string;
    readonly rows: number;
  }[];
}

describe('recipient lists', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());

  const put = (path: string, body: object, as = publisher) =>
    house.call('PUT', `/api/v1/lists/${path}/source`, { as, body });
  const show = async (name: string) =>
    (await house.call('GET', `/api/v1/lists/${name}`, { as: publisher })).body as unknown as Listed;
  async function burstOn(list: string, bind: object, more: object = {}): Promise<void> {
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: object }[];
    };
    const { definition } = bursts.find((one) => one.name === 'quay-pack')!;
    const body = {
      ...definition,
      name: `on-${list}`,
      list,
      bind,
      formats: ['csv'],
      fileName: '{burst}-{email}-{quay}',
      destination: { kind: 'mail', subject: 'For {email}', message: 'Hello' },
      ...more,
    };
    const saved = await house.call('PUT', '/api/v1/bursts', { as: publisher, body });
    assert.equal(saved.status, 200, saved.text);
  }
  const plan = async (burst: string) =>
    (await house.call('GET', `/api/v1/bursts/${burst}/preview?period=2026-10`, { as: publisher }))
      .body as unknown as Plan;
  const load = (text: string) =>
    house.call('PUT', '/api/v1/datasets/staff/file?force=true', { as: publisher, csv: text });

  it('are read from a dataset anew before each plan, and keep their versions', async () => {
    assert.equal(
      (await load('quay,email,role\nQ001,ada@skerrow.example,manager\nQ002,bo@skerrow.example,deckhand\n')).status,
      200,
    );
    const where = "role = 'manager'";
    const made = await put('staff-list', { id: 'quay', from: { dataset: 'staff', where } });
    assert.equal(made.status, 200, made.text);
    await burstOn('staff-list', { quay: 'quay' });
    assert.deepEqual(
      (await plan('on-staff-list')).entries.map((one) => one.recipient),
      ['Q001'],
    );
    assert.equal((await show('staff-list')).version, 1);
    await load('quay,email,role\nQ001,ada@skerrow.example,manager\nQ003,cy@skerrow.example,manager\n');
    assert.deepEqual(
      (await plan('on-staff-list')).entries.map((one) => one.recipient),
      ['Q001', 'Q003'],
    );
    assert.equal((await show('staff-list')).version, 2);
    await plan('on-staff-list');
    assert.equal((await show('staff-list')).version, 2);
    // What the dataset holds now is no list: nothing is planned from it, and the versions stay.
    await load('quay,email,role\nQ001,ada@skerrow.example,manager\nQ001,ada-two@skerrow.example,manager\n');
    const wrong = await house.call('GET', '/api/v1/bursts/on-staff-list/preview?period=2026-10', { as: publisher });
    assert.deepEqual([wrong.status, wrong.body.code], [400, 'LIST_INVALID']);
    assert.equal((await show('staff-list')).version, 2);
  });

  it('are loaded without their invalid rows where that is wished, and say so in every plan', async () => {
    const csv = 'quay,email\nQ001,ada@skerrow.example\nQ002,\nQ003,no address\nQ004,di@skerrow.example\n';
    const send = (query: string, text = csv) =>
      house.call('PUT', `/api/v1/lists/slips-few?id=quay${query}`, { as: publisher, csv: text });
    const refused = await send('');
    assert.deepEqual([refused.status, refused.body.code], [400, 'LIST_INVALID']);
    assert.match(refused.text, /1 more problem/);
    const made = await send('&invalidRows=skip');
    assert.equal(made.status, 200, made.text);
    const loaded = made.body as unknown as {
      recipients: number;
      skipped: { rows: number; problems: { at: string }[] };
    };
    assert.deepEqual(
      [loaded.recipients, loaded.skipped.rows, loaded.skipped.problems.map((one) => one.at)],
      [2, 2, ['row 3, column email', 'row 4, column email']],
    );
    await burstOn('slips-few', { quay: 'quay' });
    const planned = (await plan('on-slips-few')) as unknown as { skippedRows: object };
    assert.deepEqual(planned.skippedRows, { list: 'slips-few', rows: 2 });
    // The wish holds for this file, and not for the next one.
    assert.equal((await send('')).body.code, 'LIST_INVALID');
    assert.equal((await send('&invalidRows=skip', 'quay,email\nQ001,none\n')).body.code, 'LIST_INVALID');
    assert.equal((await send('&invalidRows=drop')).body.code, 'INPUT_INVALID');
    // A list that is read anew keeps to what was said of it.
    await load('quay,email\nQ001,ada@skerrow.example\nQ002,\n');
    const read = await put('staff-few', { id: 'quay', invalidRows: 'skip', from: { dataset: 'staff' } });
    assert.equal(read.status, 200, read.text);
    await burstOn('staff-few', { quay: 'quay' });
    await load('quay,email\nQ001,ada@skerrow.example\nQ002,\nQ003,\n');
    const again = (await plan('on-staff-few')) as unknown as { skippedRows: object };
    assert.deepEqual(again.skippedRows, { list: 'staff-few', rows: 2 });
  });

  it('say in which language spreadsheets read the rows', async () => {
    const csv =
      'quay,email,language\nQ001,ada@skerrow.example,de\nQ002,bo@skerrow.example,en-US\nQ003,cy@skerrow.example,\n';
    const path = '/api/v1/lists/speakers?id=quay&language=language';
    assert.equal((await house.call('PUT', path, { as: publisher, csv })).status, 200);
    await burstOn('speakers', { quay: 'quay' }, { csv: { byLanguage: true, headings: 'label' } });
    for (const [quay, separator, day] of [
      ['Q001', ';', /;\d\d\.10\.2026;/],
      ['Q002', ',', /,10\/\d\d\/2026,/],
      ['Q003', ',', /,\d\d\/10\/2026,/],
    ] as const) {
      const sample = `/api/v1/bursts/on-speakers/sample?period=2026-10&recipient=${quay}&format=csv`;
      const { text } = await house.call('GET', sample, { as: publisher });
      const [head, first] = text.split('\r\n');
      assert.ok(head!.split(separator).length > 5 && /[A-Z]/.test(head!), head);
      assert.match(first!, day, quay);
    }
  });

  it('are read from a group: its people, with what is known of them', async () => {
    const made = await put('managers', { id: 'quay', from: { group: 'Quay managers' } });
    assert.equal(made.status, 200, made.text);
    const { recipients } = await show('managers');
    const one = recipients.find((entry) => entry.id === 'Q017')!;
    assert.deepEqual([one.address, one.values['quay']], [manager, 'Q017']);
    await put('leads', { from: { group: 'District leads', each: 'district' } });
    const leads = await show('leads');
    assert.ok(
      leads.recipients.every(({ id, address, values }) => id === `${address} ${values['district']}`),
      'one for each',
    );
    const unknown = await put('nobody', { from: { group: 'Quay manager' } });
    assert.deepEqual([unknown.status, unknown.body.nearest?.[0]], [404, 'Quay managers']);
  });

  it('say of a value that never occurs what was probably meant, and skip who is not active', async () => {
    const csv =
      'quay,email,from,until\nQ001,a@skerrow.example,2026-01-01,\nq002,b@skerrow.example,,\nQ003,c@skerrow.example,2099-01-01,\nQ004,d@skerrow.example,,2020-12-31\nQ005,e@skerrow.example,,\n';
    const loaded = await house.call('PUT', '/api/v1/lists/slips?id=quay&activeFrom=from&activeTo=until', {
      as: publisher,
      csv,
    });
    assert.equal(loaded.status, 200, loaded.text);
    await burstOn('slips', { quay: 'quay' });
    const reasons = (await plan('on-slips')).entries.map((one) => one.reason ?? 'sent');
    assert.equal(reasons[0], 'sent');
    assert.match(reasons[1]!, /no rows for q002 .*, or at any time \(did you mean “Q002”\?\)/);
    assert.deepEqual(reasons.slice(2), [
      'active only from 2099-01-01',
      'active only until 2020-12-31',
      'no rows for Q005 in October 2026, or at any time (did you mean “Q002”?)',
    ]);
    const bad = await house.call('PUT', '/api/v1/lists/slips?activeTo=', {
      as: publisher,
      csv: 'quay,email,from\nQ001,a@skerrow.example,soon\n',
    });
    assert.match(bad.text, /row 2, column from: “soon”/);
  });

  it('keep what was said of their columns when they are loaded anew, and read files as data is read', async () => {
    const settled = 'id=quay&activeFrom=from&activeTo=until&language=tongue&types=fee:number';
    const load = (query: string, csv: string | Buffer) =>
      house.call('PUT', `/api/v1/lists/kept?${query}`, { as: publisher, csv });
    const head = 'quay,email,from,until,tongue,fee\n';
    const first = await load(settled, `${head}Q001,a@skerrow.example,2026-01-01,2026-12-31,de,12.5\n`);
    assert.equal(first.status, 200, first.text);
    const german = 'quay;email;from;until;tongue;fee\nQ001;ä@skerrow.example;01.02.2026;31.12.2026;de;1.250,5\n';
    const byte = Buffer.from(german, 'latin1');
    // An address with a letter that mail hosts do not take is refused with its place, in whatever way it was written.
    assert.match((await load('encoding=windows-1252', byte)).text, /row 2, column email: “ä@skerrow.example”/);
    // The decimal sign was settled by the first file; another is said, never guessed.
    assert.match((await load('', german.replace('ä', 'a'))).text, /row 2, column fee: “1.250,5” is not a number/);
    const fine = await load('decimal=comma', german.replace('ä', 'a'));
    assert.equal(fine.status, 200, fine.text);
    const list = (await house.call('GET', '/api/v1/lists/kept', { as: publisher })).body as unknown as {
      version: number;
      idColumn: string;
      types: object;
      recipients: object[];
    };
    assert.deepEqual([list.version, list.idColumn, list.types], [2, 'quay', { fee: 'number' }]);
    assert.deepEqual(list.recipients, [
      {
        id: 'Q001',
        address: 'a@skerrow.example',
        values: {
          quay: 'Q001',
          email: 'a@skerrow.example',
          from: '2026-02-01',
          until: '2026-12-31',
          tongue: 'de',
          fee: '1250.5',
        },
        activeFrom: '2026-02-01',
        activeTo: '2026-12-31',
        language: 'de',
      },
    ]);
    // A file that lacks a column which something was said about changes nothing, until that is taken back.
    const short = 'quay,email,from,fee\nQ001,a@skerrow.example,2026-01-01,1\n';
    assert.equal((await load('', short)).body.code, 'FILE_COLUMN_MISSING');
    assert.equal((await load('activeTo=&language=', short)).status, 200);
    const open = head + 'Q001,a@skerrow.example,01/02/2026,,de,1\n';
    const asked = await house.call('PUT', `/api/v1/lists/open?${settled}`, { as: publisher, csv: open });
    assert.deepEqual([asked.body.code, asked.body.pointer], ['FILE_AMBIGUOUS', 'dates'], asked.text);
  });

  it('come from a workbook as well', async () => {
    const book = writeWorkbook(
      [
        {
          title: 'List',
          columns: [
            { heading: 'quay', type: 'text' },
            { heading: 'email', type: 'text' },
          ],
          rows: [
            ['Q001', 'ada@skerrow.example'],
            ['Q002', 'bo@skerrow.example'],
          ],
        },
      ],
      { title: 'List', notes: [] },
    );
    const loaded = await house.call('PUT', '/api/v1/lists/from-book?id=quay', {
      as: publisher,
      csv: book,
    });
    assert.deepEqual([loaded.status, (loaded.body as unknown as { recipients: number }).recipients], [200, 2]);
  });

  it('are taken from a program as records, whole or not at all', async () => {
    const give = (body: object) => house.call('PUT', '/api/v1/lists/given/rows', { as: publisher, body });
    const rows = [
      { quay: 'Q001', email: 'ada@skerrow.example', copies: 2, 'Joined On': '2026-01-05' },
      { quay: 'Q002', email: 'bo@skerrow.example', isNew: true, copies: null },
    ];
    const made = await give({ id: 'quay', types: { copies: 'integer', joined_on: 'date' }, rows });
    assert.equal(made.status, 200, made.text);
    const { recipients } = await show('given');
    assert.deepEqual(
      recipients.map((one) => one.values),
      [
        { quay: 'Q001', email: 'ada@skerrow.example', copies: '2', joined_on: '2026-01-05', isnew: '' },
        { quay: 'Q002', email: 'bo@skerrow.example', copies: '', joined_on: '', isnew: 'true' },
      ],
    );
    const wrong: [object, string, string][] = [
      [{ id: 'quay', rows: [rows[0], { ...rows[1], quay: 'Q001' }] }, 'LIST_INVALID', 'row 2, column quay'],
      [{ id: 'quay', types: { copies: 'date' }, rows }, 'LIST_INVALID', 'row 1, column copies'],
      [{ id: 'key', rows }, 'FILE_COLUMN_MISSING', 'id'],
      [{ id: 'quay', rows: [{ ...rows[0], quay: ['Q001', 'Q002'] }] }, 'INPUT_INVALID', '/rows/0/quay'],
      [{ id: 'quay', rows: [] }, 'INPUT_INVALID', '/rows'],
    ];
    for (const [body, code, pointer] of wrong) {
      const refused = await give(body);
      assert.deepEqual([refused.status, refused.body.code, refused.body.pointer], [400, code, pointer], refused.text);
    }
    assert.equal((await show('given')).version, 1, 'a refused list changes nothing');
  });

  it('are bound to a run in the version it was planned from', async () => {
    const csv = (name: string) => `quay,email,manager\nQ001,ada@skerrow.example,${name}\n`;
    const load = (name: string) => house.call('PUT', '/api/v1/lists/bound?id=quay', { as: publisher, csv: csv(name) });
    await load('Ada');
    await burstOn('bound', { quay: 'quay' });
    await house.worker!.stop();
    const started = await house.call('POST', '/api/v1/bursts/on-bound/runs', {
      as: publisher,
      body: { period: '2026-10' },
    });
    await load('Somebody else');
    const { startWorker } = await import('../../src/server.ts');
    house.worker = startWorker(house.app);
    const run = await house.finished((started.body as unknown as { id: number }).id, publisher);
    assert.equal(run.state, 'done');
    const [row] = (await house.app.records.query('SELECT list_version FROM runs ORDER BY id DESC LIMIT 1'))[0] as {
      list_version: number;
    }[];
    assert.equal(row!.list_version, 1);
  });
});
