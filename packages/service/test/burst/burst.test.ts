import assert from 'node:assert/strict';
import { existsSync, mkdirSync, readdirSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { MailHost } from '../../../standins/src/index.ts';
import type pg from 'pg';
import { isRefusal } from '@underbell/core/refusal';
import { findPerson } from '../../src/access/index.ts';
import { prepareBurst } from '../../src/burst/index.ts';
import { writeSlices } from '../../src/copies/index.ts';
import { findBurst } from '../../src/burst/store.ts';
import type { App } from '../../src/platform/index.ts';
import { startWorker } from '../../src/server.ts';
import { administrator, House, publisher, until, type DeliveryLog } from '../house.ts';

/** Connections whose COPY has forgotten its WHERE: what a mistake in the SQL compiler would look like. */
function withoutFilters(pool: pg.Pool): pg.Pool {
  const forget = (query: unknown): unknown => {
    if (query && typeof query === 'object' && 'text' in query)
      query.text = String(query.text).replace(/ WHERE .*\) TO STDOUT/s, ') TO STDOUT');
    return query;
  };
  const connect = async () => {
    const client = await pool.connect();
    return {
      query: (query: unknown, values?: unknown) => client.query(forget(query) as string, values as string[]),
      release: (error?: Error) => client.release(error),
    };
  };
  return { connect, query: pool.query.bind(pool) } as unknown as pg.Pool;
}

interface Plan {
  readonly counts: Record<'recipients' | 'planned' | 'skipped' | 'rows' | 'files', number>;
  readonly entries: readonly {
    readonly recipient: string;
    readonly rows: number;
    readonly action: string;
    readonly reason?: string;
    readonly files: readonly { readonly name: string }[];
  }[];
}

const burstPath = '/api/v1/bursts/quay-pack';

describe('the quay pack', () => {
  let house: House;
  const refused = new Set<string>();
  before(async () => {
    house = await House.open({
      hasDemo: true,
      mail: { refuses: (address) => (refused.has(address) ? 'no such mailbox' : undefined) },
    });
  });
  after(() => house.close());

  const plan = async (query: string) =>
    (await house.call('GET', `${burstPath}/preview?${query}`, { as: publisher })).body as unknown as Plan;
  const start = (body: object) => house.call('POST', `${burstPath}/runs`, { as: publisher, body });
  async function run(body: object): Promise<DeliveryLog> {
    const started = await start(body);
    assert.equal(started.status, 202, started.text);
    return house.finished((started.body as unknown as { id: number }).id, publisher);
  }
  const received = () =>
    Promise.all(house.mail.mails.map(async (mail) => ({ to: mail.to[0]!, ...(await house.mail.parse(mail)) })));

  it('plans who gets what and who is skipped, and sends nothing', async () => {
    const { counts, entries } = await plan('period=2026-10');
    assert.deepEqual([counts.recipients, counts.planned, counts.skipped, counts.files], [52, 46, 6, 92]);
    const exact = (
      await house.call(
        'GET',
        `/api/v1/datasets/sailings/count?where=${encodeURIComponent("month = DATE('2026-10-01')")}`,
        { as: publisher },
      )
    ).body as unknown as { rows: number };
    assert.equal(counts.rows, exact.rows);
    assert.deepEqual(
      entries.filter((one) => one.action === 'skip').map((one) => one.reason),
      ['Q005', 'Q014', 'Q023', 'Q032', 'Q041', 'Q050'].map(
        (quay) => `no rows for ${quay} in October 2026, or at any time`,
      ),
    );
    assert.equal(house.mail.mails.length, 0);
  });

  it('sends every recipient exactly their own rows', async () => {
    const finished = await run({ period: '2026-10' });
    assert.deepEqual(
      [finished.state, finished.counts.sent, finished.counts.skipped, finished.counts.failed],
      ['done', 46, 6, 0],
    );
    const mails = await received();
    assert.equal(mails.length, 46);
    const { entries } = await plan('period=2026-10&again=true');
    for (const mail of mails) {
      const csv = mail.attachments.find((one) => one.filename?.endsWith('.csv'))!;
      const quay = /quay-pack-(Q\d+)-2026-10\.csv/.exec(csv.filename!)![1]!;
      const [, ...lines] = csv.content.toString('utf8').trimEnd().split('\r\n');
      assert.equal(lines.length, entries.find((one) => one.recipient === quay)!.rows);
      assert.ok(
        lines.every((line) => line.startsWith(`${quay},`) && line.endsWith(',2026-10-01')),
        quay,
      );
      assert.match(
        mail.attachments
          .find((one) => one.filename?.endsWith('.pdf'))!
          .content.subarray(0, 5)
          .toString(),
        /%PDF-/,
      );
      assert.match(mail.subject!, /October 2026$/);
    }
    assert.equal(new Set(mails.map((mail) => mail.messageId)).size, 46);
    assert.ok(
      finished.entries
        .filter((one) => one.state === 'sent')
        .every((one) => one.files.every((file) => /^[0-9a-f]{64}$/.test(file.sha256!))),
    );
    assert.ok(!existsSync(join(house.app.settings.workDir, `run-${finished.id}`)));
  });

  it('sends nothing twice for the same period, unless asked', async () => {
    const again = await run({ period: '2026-10' });
    assert.deepEqual([again.state, again.counts.planned, again.counts.skipped], ['done', 0, 52]);
    assert.match(again.entries[0]!.reason!, /already sent in run 1/);
    assert.equal(house.mail.mails.length, 46);
    const asked = await run({ period: '2026-10', again: true });
    assert.equal(asked.counts.sent, 46);
    const ids = (await received()).map((mail) => mail.messageId);
    assert.deepEqual([ids.length, new Set(ids).size], [92, 92]);
  });

  it('goes on with the others when the mail host refuses one, and sends only the failed ones again', async () => {
    refused.add('quay17@skerrow.example');
    const first = await run({ period: '2026-09' });
    assert.deepEqual([first.state, first.counts.sent, first.counts.failed], ['partly', 45, 1]);
    assert.match(first.entries.find((one) => one.state === 'failed')!.reason!, /no such mailbox/);
    refused.clear();
    const second = await run({ period: '2026-09' });
    assert.deepEqual([second.state, second.counts.sent, second.counts.skipped], ['done', 1, 51]);
  });

  it('waits, and loses nothing, while the mail host is down', async () => {
    await house.mail.stop();
    const { id } = (await start({ period: '2026-08' })).body as unknown as { id: number };
    const waits = await until(async () => {
      const { body } = await house.call('GET', `/api/v1/runs/${id}`, { as: publisher });
      return (body as unknown as { phase: string }).phase.startsWith('waits') ? body : undefined;
    });
    const { state, phase, counts } = waits as unknown as DeliveryLog & { phase: string };
    assert.deepEqual([state, counts.sent, counts.failed], ['waiting', 0, 0]);
    assert.match(phase, /“mail” is not accepting files: The mail server .* is not reachable/);
    const shown = (await house.call('GET', '/api/v1/destinations/mail', { as: publisher })).body;
    assert.equal((shown as unknown as { state: string }).state, 'failing');
    const port = Number(new URL(house.app.settings.smtpUrl).port);
    house.mail = new MailHost({ port });
    await house.mail.start();
    assert.equal((await house.call('POST', '/api/v1/destinations/mail/resume', { as: administrator })).status, 200);
    const up = await house.finished(id, publisher);
    assert.deepEqual([up.state, up.counts.sent], ['done', 46]);
    assert.equal(house.mail.mails.length, 46);
  });

  it('sends nothing when the disk is full', async () => {
    const before = house.mail.mails.length;
    const { body } = await house.call('GET', '/api/v1/runs', { as: publisher });
    const next = Math.max(...(body as unknown as { runs: { id: number }[] }).runs.map((one) => one.id)) + 1;
    const [last] = (await house.app.records.query('SELECT max(id)::int AS id FROM jobs')) as unknown as [
      { id: number }[],
    ];
    // /dev/full answers every write as a full disk does; other work may take up a job before.
    for (let job = last[0]!.id + 1; job < last[0]!.id + 6; job++) {
      const folder = join(house.app.settings.workDir, `run-${next}`, 'made', `${job}-1`);
      mkdirSync(folder, { recursive: true });
      for (let cut = 0; cut < 46; cut++) symlinkSync('/dev/full', join(folder, `${cut}.csv`));
    }
    const full = await run({ period: '2026-10', again: true });
    assert.deepEqual([full.id, full.state, full.counts.sent, full.counts.failed], [next, 'failed', 0, 46]);
    assert.match(full.error!, /no disk space/);
    assert.equal(house.mail.mails.length, before);
    assert.deepEqual(
      readdirSync(house.app.settings.workDir).filter((one) => one !== 'uploads'),
      [],
    );
  });

  it('runs one at a time, can be stopped, and goes on where it stopped', async () => {
    await house.worker!.stop();
    const started = (await start({ period: '2026-10', again: true })).body as unknown as { id: number };
    const second = await start({ period: '2026-10', again: true });
    assert.deepEqual([second.status, second.body.code], [409, 'RUN_ACTIVE']);
    assert.equal((await house.call('POST', `/api/v1/runs/${started.id}/cancel`, { as: publisher })).status, 202);
    house.worker = startWorker(house.app);
    const stopped = await house.finished(started.id, publisher);
    assert.deepEqual([stopped.state, stopped.counts.sent], ['stopped', 0]);
    assert.equal((await house.call('POST', `/api/v1/runs/${started.id}/cancel`, { as: publisher })).status, 409);
  });

  it('takes a run over from a worker that died, and asks a person about the copy that was on the wire', async () => {
    await house.worker!.stop();
    const { id } = (await start({ period: '2026-10', again: true })).body as unknown as { id: number };
    const before = house.mail.mails.length;
    // What a worker leaves behind that dies while it sends: a lease that runs out, one copy sent, one on the wire.
    await house.app.records.query(`UPDATE runs SET state = 'running' WHERE id = ${id}`);
    await house.app.records.query(
      "UPDATE jobs SET state = 'leased', lease = 'dead', lease_until = now() - interval '1 second' WHERE state = 'waiting'",
    );
    await house.app.records.query(`UPDATE deliveries SET state = 'sent' WHERE run_id = ${id} AND recipient = 'Q001'`);
    await house.app.records.query(
      `UPDATE deliveries SET state = 'sending' WHERE run_id = ${id} AND recipient = 'Q002'`,
    );
    house.worker = startWorker(house.app);
    const finished = await house.finished(id, publisher);
    assert.deepEqual([finished.state, finished.counts.sent, finished.counts.inDoubt], ['partly', 45, 1]);
    assert.equal(house.mail.mails.length - before, 44);
    const next = (await plan('period=2026-10')).entries.find((one) => one.recipient === 'Q002')!;
    assert.match(next.reason!, /already sent in run/);
  });

  it('gives a run up that three workers died on, so that the next can start', async () => {
    await house.worker!.stop();
    const { id } = (await start({ period: '2026-10', again: true })).body as unknown as { id: number };
    await house.app.records.query("UPDATE jobs SET deaths = 3 WHERE state = 'waiting'");
    house.worker = startWorker(house.app);
    const given = await house.finished(id, publisher);
    assert.deepEqual([given.state, given.counts.sent, given.counts.failed], ['failed', 0, 46]);
    assert.match(given.error!, /3 workers failed/);
  });

  it('stops when a row fails the second check, were the SQL to lose its filter', async () => {
    const { app } = house;
    const sender = (await findPerson(app, { email: publisher }))!;
    const { definition } = (await findBurst(app, 'quay-pack'))!;
    const burst = await prepareBurst(app, sender, definition, '2026-10');
    const cuts = ['Q001', 'Q017'].map((value) => ({
      cut: { fields: { quay: [value] } },
      path: join(house.folder, 'cuts', value),
    }));
    assert.ok((await writeSlices(app, burst, cuts, 'csv', () => undefined)) > 0);
    const broken: App = { ...app, lanes: { ...app.lanes, planned: withoutFilters(app.lanes.planned) as never } };
    await assert.rejects(
      writeSlices(broken, burst, cuts, 'csv', () => undefined),
      (error) => isRefusal(error, 'FOREIGN_ROW'),
    );
  });

  it('refuses periods that are none and bursts that do not exist', async () => {
    assert.equal((await start({ period: '2026-13' })).body.code, 'INPUT_INVALID');
    assert.equal((await start({})).body.code, 'INPUT_INVALID');
    assert.deepEqual(
      (await house.call('POST', '/api/v1/bursts/quay-pak/runs', { as: publisher, body: {} })).body.nearest,
      ['quay-pack'],
    );
    const none = await run({ period: '2025-01' });
    assert.deepEqual([none.state, none.counts.skipped], ['done', 52]);
  });

  it('refuses definitions that name what is not there', async () => {
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: object }[];
    };
    const put = (change: object) =>
      house.call('PUT', '/api/v1/bursts', {
        as: publisher,
        body: { ...bursts.find((one) => one.name === 'quay-pack')!.definition, ...change },
      });
    for (const [change, nearest] of [
      [{ bind: { Quay: 'quay' } }, 'quay'],
      [{ bind: { quay: 'kuay' } }, 'quay'],
      [{ fileName: '{Quay}' }, 'quay'],
      [{ page: 'overvieuw' }, 'overview'],
      [{ list: 'quay-manager' }, 'quay-managers'],
      [{ rows: { columns: ['quay_Id'] } }, 'quay_id'],
    ] as const) {
      const { status, body } = await put(change);
      assert.ok(status === 400 || status === 404, JSON.stringify(body));
      assert.equal(body.nearest?.[0], nearest, JSON.stringify(body));
    }
    assert.equal((await put({})).status, 200);
  });
});

describe('recipient lists', () => {
  let house: House;
  before(async () => {
    house = await House.open({ hasDemo: true });
  });
  after(() => house.close());
  const load = (csv: string | Buffer, query = '?id=quay') =>
    house.call('PUT', `/api/v1/lists/testers${query}`, { as: publisher, csv });

  it('name every mistake and change nothing', async () => {
    assert.equal((await load('quay,email\nQ1,a@b.example\n')).status, 200);
    for (const [csv, code, query] of [
      ['quay,mail\nQ1,a@b.example\n', 'FILE_COLUMN_MISSING', undefined],
      ['kuay,email\nQ1,a@b.example\n', 'FILE_COLUMN_MISSING', undefined],
      ['quay,email\nQ1,a@b.example\nQ1,c@d.example\n', 'LIST_INVALID', undefined],
      ['quay,email\nQ1,a at b\n', 'LIST_INVALID', undefined],
      ['quay,email\nQ1,a@b.example,x\n', 'FILE_RAGGED', undefined],
      ['quay,email\n', 'FILE_EMPTY', undefined],
      [Buffer.from('quay,email\nQ\xe9,a@b.example\n', 'latin1'), 'FILE_NOT_UTF8', undefined],
      ['quay,email\nQ1,a@b.example\n', 'OPTION_UNKNOWN', '?Id=quay'],
    ] as const) {
      const { status, body } = await load(csv, query);
      assert.deepEqual([status, body.code], [400, code], JSON.stringify(body));
    }
    const list = (await house.call('GET', '/api/v1/lists/testers', { as: publisher })).body as unknown as {
      version: number;
      recipients: unknown[];
    };
    assert.deepEqual([list.version, list.recipients.length], [1, 1]);
  });
});
