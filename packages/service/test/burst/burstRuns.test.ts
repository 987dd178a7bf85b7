import assert from 'node:assert/strict';
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { readSheet } from 'read-excel-file/node';
import type { ShownPlan } from '@underbell/core/burst/apiTypes';
import { hurry } from '../../src/platform/index.ts';
import { startWorker } from '../../src/server.ts';
import { House, publisher, type DeliveryLog, until } from '../house.ts';

const quayOf = (at: number) => `Q${String(at).padStart(3, '0')}`;

const monthBefore = (at: string) => {
  const day = new Date(at);
  return new Date(Date.UTC(day.getUTCFullYear(), day.getUTCMonth() - 1, 1)).toISOString().slice(0, 7);
};

describe('runs of the kiosk takings', () => {
  let house: House;
  const busy = new Map<string, number>();
  let now: (() => number) | undefined;
  before(async () => {
    house = await House.open({
      hasDemo: true,
      now: () => now?.() ?? Date.now(),
      mail: {
        isBusy(address) {
          const left = busy.get(address) ?? 0;
          busy.set(address, left - 1);
          return left > 0;
        },
      },
    });
  });
  after(() => house.close());

  const path = '/api/v1/bursts/kiosk-takings';
  const post = (to: string, body: object = {}) => house.call('POST', to, { as: publisher, body });
  async function run(body: object): Promise<DeliveryLog> {
    const started = await post(`${path}/runs`, { period: '2026-10', ...body });
    assert.equal(started.status, 202, started.text);
    return house.finished((started.body as unknown as { id: number }).id, publisher);
  }
  const mailsFrom = async (index: number) =>
    Promise.all(
      house.mail.mails.slice(index).map(async (mail) => ({ ...(await house.mail.parse(mail)), to: mail.to[0]! })),
    );
  async function definitionOf(name: string): Promise<object> {
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: object }[];
    };
    return bursts.find((one) => one.name === name)!.definition;
  }
  async function withDefinition(change: object): Promise<void> {
    const definition = await definitionOf('kiosk-takings');
    const put = await house.call('PUT', '/api/v1/bursts', { as: publisher, body: { ...definition, ...change } });
    assert.equal(put.status, 200, put.text);
  }

  it('sends its files as files once told to', async () => {
    await withDefinition({
      keep: undefined,
      // Some of these tests move the clock by days.
      schedule: undefined,
      destination: {
        kind: 'mail',
        subject: 'Kiosk takings of {quay_name}, {period_words}',
        message: 'For {quay_name} ({quay})',
        emptyMessage: 'For ({quay}) nothing is attached.',
      },
    });
  });

  it('makes the file that a recipient would get, and sends nothing', async () => {
    const sample = (query: string) => house.call('GET', `${path}/sample?period=2026-10&${query}`, { as: publisher });
    const csv = await sample('recipient=Q002&format=csv');
    assert.match(csv.headers.get('content-disposition')!, /kiosk-takings-Q002-2026-10\.csv/);
    const [heading, ...rows] = csv.text
      .replace(/^\ufeff/, '')
      .trimEnd()
      .split('\r\n');
    assert.equal(heading, 'quay_id;quay_name;district;taken_on;takings;receipts');
    assert.equal(rows.length, 31);
    assert.ok(
      rows.every((row) => row.startsWith('Q002;')),
      'own rows alone',
    );
    for (const [query, code] of [
      ['recipient=Q050', 'COPY_EMPTY'],
      ['recipient=Q0002', 'NOT_FOUND'],
      ['recipient=Q002&format=pdf', 'INPUT_INVALID'],
    ])
      assert.equal((await sample(query!)).body.code, code, query);
    assert.equal(house.mail.mails.length, 0);
    assert.deepEqual(
      readdirSync(house.app.settings.workDir).filter((one) => one !== 'uploads'),
      [],
      'samples leave nothing behind',
    );
  });

  it('writes CSV in the encoding that was chosen, and says which', async () => {
    const sample = () =>
      house.call('GET', `${path}/sample?period=2026-10&recipient=Q002&format=csv`, { as: publisher });
    await withDefinition({ csv: { separator: 'semicolon', encoding: 'utf-16' } });
    const wide = await sample();
    assert.equal(wide.headers.get('content-type'), 'text/csv; charset=utf-16');
    assert.match(wide.text, /q\0u\0a\0y\0_\0i\0d\0;\0/);
    await withDefinition({ csv: { separator: 'semicolon', encoding: 'iso-8859-15' } });
    const narrow = await sample();
    assert.equal(narrow.headers.get('content-type'), 'text/csv; charset=iso-8859-15');
    assert.match(narrow.text, /^quay_id;/);
    const definition = await definitionOf('kiosk-takings');
    for (const csv of [{ encoding: 'latin1' }, { encoding: 'windows-1252', mark: true }]) {
      const refused = await house.call('PUT', '/api/v1/bursts', { as: publisher, body: { ...definition, csv } });
      assert.deepEqual([refused.status, refused.body.code], [400, 'BURST_INVALID'], JSON.stringify(csv));
    }
    await withDefinition({ csv: { separator: 'semicolon', mark: true } });
  });

  it('plan which characters the encoding of CSV does not have, and fail by them rather than replacing any', async () => {
    const definition = await definitionOf('quay-pack');
    const plan = async (encoding: string) => {
      const body = { ...definition, name: 'narrow', formats: ['csv'], csv: { encoding } };
      const saved = await house.call('PUT', '/api/v1/bursts', { as: publisher, body });
      assert.equal(saved.status, 200, saved.text);
      const answer = await house.call('GET', '/api/v1/bursts/narrow/preview?period=2026-10', { as: publisher });
      return answer.body as unknown as ShownPlan;
    };
    for (const encoding of ['utf-8', 'utf-16', 'windows-1252'])
      assert.equal((await plan(encoding)).unwritable, undefined, encoding);
    const { unwritable } = await plan('iso-8859-15');
    assert.deepEqual(unwritable, { encoding: 'iso-8859-15', characters: ['–'], columns: ['route_name'] });
    const started = await post('/api/v1/bursts/narrow/runs', { period: '2026-10', only: ['Q002'] });
    const { state, error } = await house.finished((started.body as unknown as { id: number }).id, publisher);
    assert.equal(state, 'failed');
    assert.match(error ?? '', /“–” \(U\+2013\) cannot be written in iso-8859-15/);
    assert.equal(house.mail.mails.length, 0);
  });

  it('sends everything to its sender in a test, and nobody counts as having theirs', async () => {
    const test = await run({ isTest: true, only: ['Q001', 'Q002', 'Q050'] });
    assert.deepEqual([test.state, test.counts.sent], ['done', 3]);
    const mails = await mailsFrom(0);
    assert.deepEqual(new Set(mails.map((mail) => mail.to)), new Set([publisher]));
    assert.match(mails.map((mail) => mail.subject).join(), /\[Test for Q001, .*q001@skerrow\.example\]/);
    const again = await run({ isTest: true, only: ['Q001'] });
    assert.equal(again.counts.sent, 1, 'as often as wanted');
    const plan = (await house.call('GET', `${path}/preview?period=2026-10`, { as: publisher })).body as unknown as {
      counts: { planned: number };
    };
    assert.equal(plan.counts.planned, 52);
  });

  it('sends workbooks and CSV of the own rows, and a note where there are none', async () => {
    const from = house.mail.mails.length;
    const done = await run({ only: ['Q001', 'Q017', 'Q050'] });
    assert.deepEqual([done.state, done.counts.sent], ['done', 3]);
    const mails = await mailsFrom(from);
    for (const mail of mails) {
      const quay = /of .*, October/.exec(mail.subject!) && /\((Q\d+)\)/.exec(mail.text!)![1]!;
      if (quay === 'Q050') {
        assert.equal(mail.attachments.length, 0);
        assert.match(mail.text!, /nothing is attached/);
        continue;
      }
      const book = mail.attachments.find((one) => one.filename?.endsWith('.xlsx'))!.content;
      const [heading, ...rows] = await readSheet(book);
      assert.deepEqual(heading!.slice(0, 2), ['Quay', 'Quay name']);
      assert.equal(rows.length, 31);
      for (const row of rows) {
        assert.equal(row[0], quay);
        assert.ok(row[3] instanceof Date, 'days are days');
        assert.equal(typeof row[4], 'number', 'amounts are numbers');
      }
    }
    const note = done.entries.find((one) => one.recipient === 'Q050')!;
    assert.match(note.reason!, /message without files/);
    const once = await run({ only: ['Q050'] });
    assert.match(once.entries[0]!.reason!, /already sent/, 'a note is sent once');
  });

  it('gives equal bytes for equal input', async () => {
    const hashes = async () => {
      const again = await run({ again: true, only: ['Q001', 'Q002'] });
      return again.entries.map((one) => one.files.map((file) => file.sha256));
    };
    assert.deepEqual(await hashes(), await hashes());
  });

  it('refuses to start where nobody may go without rows', async () => {
    await withDefinition({ empty: 'refuse' });
    const from = house.mail.mails.length;
    const refused = await post(`${path}/runs`, { period: '2026-10', only: ['Q001', 'Q005', 'Q050'] });
    assert.deepEqual([refused.status, refused.body.code], [409, 'COPY_EMPTY']);
    assert.deepEqual(
      refused.body.problems!.map((one) => one.at),
      ['Q005', 'Q050'],
    );
    assert.equal(house.mail.mails.length, from);
    await withDefinition({ empty: 'note' });
  });

  it('offers a copy again to a host that is busy, and only that one', async () => {
    const from = house.mail.mails.length;
    const addresses = new Map(
      (
        (await house.call('GET', `${path}/preview?period=2026-09`, { as: publisher })).body as unknown as {
          entries: { recipient: string; address: string }[];
        }
      ).entries.map((one) => [one.recipient, one.address]),
    );
    busy.set(addresses.get('Q003')!, 1);
    const done = await run({ period: '2026-09', only: ['Q003', 'Q004'] });
    assert.deepEqual([done.state, done.counts.sent], ['done', 2]);
    assert.equal(house.mail.mails.length - from, 2);
    const attempts = done.entries.map((one) => (one as unknown as { attempts: number }).attempts);
    assert.deepEqual(attempts, [2, 1]);
  });

  it('offers a letter again for hours to a host that does not know the sender yet, while the others go on', async () => {
    const plan = (await house.call('GET', `${path}/preview?period=2026-06`, { as: publisher })).body as unknown as {
      entries: { recipient: string; address: string }[];
    };
    const address = plan.entries.find((one) => one.recipient === 'Q003')!.address;
    busy.set(address, 5);
    let aheadMs = 0;
    now = () => Date.now() + aheadMs;
    const { id } = (await post(`${path}/runs`, { period: '2026-06', only: ['Q003', 'Q004'] })).body as unknown as {
      id: number;
    };
    type Entry = { recipient: string; state: string; attempts: number; nextTryAt?: string; reason: string };
    const ledger = async () =>
      (await house.call('GET', `/api/v1/runs/${id}`, { as: publisher })).body as unknown as {
        state: string;
        phase: string;
        entries: Entry[];
      };
    const later = await until(async () => {
      const found = await ledger();
      const [third, fourth] = found.entries;
      assert.notEqual(third?.state, 'failed', third?.reason);
      // Short waits are sat out; nobody sits them out here.
      aheadMs += 10_000;
      return found.state === 'waiting' && fourth?.state === 'sent' && third?.state === 'waiting' ? found : undefined;
    });
    const [third] = later.entries;
    assert.match(third!.reason, /451|try again/);
    assert.match(later.phase, /the mail server asks to try 1 copy again later; next attempt at/);
    assert.ok(Date.parse(third!.nextTryAt!) > Date.now() + aheadMs - 60_000);
    aheadMs += 600_000;
    await hurry(house.app, 'burst.run', { run: id });
    await until(async () => {
      await hurry(house.app, 'burst.run', { run: id });
      aheadMs += 60_000;
      return (await ledger()).state === 'done';
    });
    const [done] = (await ledger()).entries;
    assert.deepEqual([done!.state, done!.attempts, done!.nextTryAt], ['sent', 6, undefined]);
    now = undefined;
  });

  it('pauses, goes on where it stood, and sends nobody two', async () => {
    await house.worker!.stop();
    const only = Array.from({ length: 30 }, (_, i) => quayOf(i + 1));
    const { id } = (await post(`${path}/runs`, { period: '2026-08', only })).body as unknown as { id: number };
    assert.equal((await post(`/api/v1/runs/${id}/pause`)).status, 202);
    house.worker = startWorker(house.app);
    const paused = await house.finished(id, publisher);
    assert.deepEqual([paused.state, paused.counts.sent], ['paused', 0]);
    const other = await post(`${path}/runs`, { period: '2026-08', only: ['Q040'] });
    assert.equal(other.body.code, 'RUN_ACTIVE', 'a paused run is not over');
    const from = house.mail.mails.length;
    assert.equal((await post(`/api/v1/runs/${id}/resume`)).status, 202);
    const done = await house.finished(id, publisher);
    assert.deepEqual([done.state, done.counts.sent], ['done', 30]);
    assert.equal(house.mail.mails.length - from, 30);
    assert.equal((await post(`/api/v1/runs/${id}/pause`)).status, 409);
    assert.equal((await post(`/api/v1/runs/${id}/resume`)).status, 409);
  });

  it('can be stopped while it is paused', async () => {
    await house.worker!.stop();
    const { id } = (await post(`${path}/runs`, { period: '2026-07', only: ['Q001'] })).body as unknown as {
      id: number;
    };
    await post(`/api/v1/runs/${id}/pause`);
    house.worker = startWorker(house.app);
    assert.equal((await house.finished(id, publisher)).state, 'paused');
    assert.equal((await post(`/api/v1/runs/${id}/cancel`)).status, 202);
    assert.equal((await house.finished(id, publisher)).state, 'stopped');
  });

  it('asks a person about a copy in doubt, and sends again what did not arrive', async () => {
    const { id } = await run({ period: '2026-08', only: ['Q041', 'Q042'] });
    await house.app.records.query(
      `UPDATE deliveries SET state = 'in doubt' WHERE run_id = ${id};
       UPDATE runs SET state = 'partly' WHERE id = ${id}`,
    );
    const settle = (recipient: string, hasArrived: boolean) =>
      post(`/api/v1/runs/${id}/resolve`, { recipient, hasArrived });
    assert.equal((await post(`/api/v1/runs/${id}/retry`)).body.code, 'NOT_FOUND', 'doubt is settled first');
    assert.equal((await settle('Q041', true)).status, 200);
    assert.equal((await settle('Q041', false)).body.code, 'INPUT_INVALID', 'once');
    assert.equal((await settle('Q999', true)).body.code, 'NOT_FOUND');
    const settled = (await settle('Q042', false)).body as unknown as DeliveryLog;
    assert.deepEqual(
      settled.entries.map((one) => one.state),
      ['sent', 'failed'],
    );
    const from = house.mail.mails.length;
    const retried = (await post(`/api/v1/runs/${id}/retry`)).body as unknown as { id: number };
    const done = await house.finished(retried.id, publisher);
    assert.deepEqual([done.state, done.counts.sent, house.mail.mails.length - from], ['done', 1, 1]);
    const stranger = await house.call('POST', `/api/v1/runs/${id}/pause`, { as: 'quay17@skerrow.example', body: {} });
    assert.equal(stranger.status, 404);
  });

  it('sets a plan beside the last run', async () => {
    await run({ again: true, only: ['Q001', 'Q002'] });
    const plan = (await house.call('GET', `${path}/preview?period=2026-10&again=true`, { as: publisher }))
      .body as unknown as {
      before?: { copies: number };
      bytes: number;
      entries: { recipient: string; rowsBefore?: number; mark?: string }[];
    };
    assert.ok(plan.before, 'there was a run before');
    assert.ok(plan.bytes > 0, 'a size is told');
    assert.equal(plan.entries.find((one) => one.recipient === 'Q007')!.mark, 'new');
  });

  it('sends links that open for their recipient alone, are counted, can be recalled and run out', async () => {
    const destination = {
      kind: 'mail',
      subject: 'Kiosks of {quay_name}',
      message: 'For {quay}:\n{links}',
      send: 'links',
    };
    await withDefinition({ destination, keep: { days: 3 } });
    const from = house.mail.mails.length;
    const sent = await run({ again: true, only: ['Q017', 'Q018'] });
    assert.deepEqual([sent.state, sent.counts.sent], ['done', 2]);
    const mails = await mailsFrom(from);
    assert.ok(
      mails.every((mail) => mail.attachments.length === 0),
      'no files travel',
    );
    const links = new Map(
      mails.map((mail) => [/For (Q\d+)/.exec(mail.text!)![1]!, [...mail.text!.matchAll(/\/c\/[\w.-]+/g)].map(String)]),
    );
    const [book, csv] = links.get('Q017')!;
    const fetchIt = (path: string, as?: string, headers = {}) =>
      house.call('GET', path, { ...(as ? { as } : {}), headers });
    const owner = 'quay17@skerrow.example';
    assert.equal((await fetchIt(book!)).status, 401, 'nobody who has not signed in');
    const page = await fetchIt(book!, undefined, { Accept: 'text/html' });
    assert.match(page.text, /Sign in<\/a> to download the file/);
    const own = await fetchIt(csv!, owner);
    assert.equal(own.status, 200);
    assert.match(own.headers.get('content-disposition')!, /attachment; filename="kiosk-takings-Q017-2026-10\.csv"/);
    assert.ok(own.text.includes('Q017;') && !own.text.includes('Q018;'), 'their own rows');
    assert.equal((await fetchIt(links.get('Q018')![1]!, owner)).body.code, 'NOT_ALLOWED', 'not what is for another');
    assert.equal((await fetchIt(csv!, publisher)).status, 200, 'the sender may');
    const [, id, position, signature] = /\/c\/(\d+)\.(\d+)\.(.+)/.exec(csv!)!;
    const kept = join(house.app.settings.workDir, `run-${sent.id}`, 'kiosk-takings-Q017-2026-10.csv');
    const made = readFileSync(kept);
    rmSync(kept);
    writeFileSync(kept, 'Q018;another’s');
    assert.equal((await fetchIt(csv!, owner)).body.code, 'LINK_GONE', 'another file under its name');
    rmSync(kept);
    writeFileSync(kept, made);
    for (const forged of [
      `/c/${Number(id) + 1}.${position}.${signature}`,
      `/c/${id}.7.${signature}`,
      `/c/${id}.${position}.x`,
      '/c/x',
    ])
      assert.equal((await fetchIt(forged, publisher)).body.code, 'NOT_FOUND', forged);
    const ledger = async () =>
      (await house.call('GET', `/api/v1/runs/${sent.id}`, { as: publisher })).body as unknown as {
        entries: { recipient: string; link?: { fetched: number; isRecalled: boolean } }[];
      };
    const linkOf = async (quay: string) => (await ledger()).entries.find((one) => one.recipient === quay)!.link!;
    assert.equal((await linkOf('Q017')).fetched, 2, 'only what was fetched counts');
    const file = await house.call(
      'GET',
      `/api/v1/runs/${sent.id}/file?recipient=Q017&file=kiosk-takings-Q017-2026-10.csv`,
      { as: publisher },
    );
    assert.equal(file.text, own.text, 'the sender finds the same in the ledger');
    const sneaky = await house.call('GET', `/api/v1/runs/${sent.id}/file?recipient=Q017&file=..%2F..%2Fx`, {
      as: publisher,
    });
    assert.equal(sneaky.body.code, 'NOT_FOUND');
    assert.equal(
      (await post(`/api/v1/runs/${sent.id}/revoke-links`, { recipient: 'Q017' })).body['recalled' as never],
      2,
    );
    assert.equal((await fetchIt(csv!, owner)).body.code, 'LINK_GONE');
    assert.equal((await linkOf('Q018')).isRecalled, false);
    const other = links.get('Q018')![1]!;
    now = () => Date.now() + 4 * 86_400_000;
    assert.equal((await fetchIt(other, publisher)).body.code, 'LINK_GONE', 'it has run out');
    // And so has the file.
    await until(() => readdirSync(house.app.settings.workDir).every((one) => one === 'uploads'));
    now = undefined;
  });

  it('sends what is too large as links, where files are kept', async () => {
    const destination = { kind: 'mail', subject: 'Kiosks', message: 'For {quay}', largest: 0.001 };
    await withDefinition({ destination, keep: { days: 2, signIn: false } });
    const from = house.mail.mails.length;
    await run({ again: true, only: ['Q001'] });
    // The clock went four days ahead and back: a notice about that may arrive as well.
    const mail = (await mailsFrom(from)).find((one) => one.subject === 'Kiosks');
    assert.equal(mail!.attachments.length, 0);
    const [link] = /\/c\/[\w.-]+/.exec(mail!.text!)!;
    assert.equal((await house.call('GET', link)).status, 200, 'open to whoever holds it, as the burst says');
  });

  it('starts by its schedule, once, about the month before; a missed start is skipped where that is wanted', async () => {
    // The next time is less than three weeks ahead: sessions end after 30 days.
    const today = new Date().getUTCDate();
    const schedule = {
      rule: `FREQ=MONTHLY;BYMONTHDAY=${today >= 2 && today < 16 ? 17 : 3};BYHOUR=6;BYMINUTE=30`,
      start: '2026-12-01T06:30',
      timeZone: 'Europe/Berlin',
    };
    await withDefinition({ schedule });
    const times = (await house.call('GET', `${path}/next-runs`, { as: publisher })).body as unknown as {
      times: { at: string; periodWords: string }[];
    };
    assert.equal(times.times.length, 10);
    const first = times.times[0]!;
    const calendar = await house.call('GET', `${path}/next-runs.ics`, { as: publisher });
    assert.match(calendar.text, new RegExp(`DTSTART:${first.at.slice(0, 16).replace(/[-:]/g, '')}00Z`));
    assert.equal(calendar.text.match(/BEGIN:VEVENT/g)!.length, 10);
    // Not by the API: sessions end while the clock is put forward.
    const started = async () =>
      (await house.app.records.query("SELECT state, occurrence AS period FROM runs WHERE cause = 'schedule'"))[0] as {
        state: string;
        period: string;
      }[];
    const at = Date.parse(first.at);
    now = () => at + 1_000;
    await until(async () => (await started())[0]?.state === 'done');
    const [run, ...more] = await started();
    assert.equal(more.length, 0);
    assert.equal(run!.state, 'done');
    assert.equal(run!.period, monthBefore(first.at));
    await withDefinition({ schedule: { ...schedule, missed: 'skip' } });
    const second = Date.parse(times.times[1]!.at);
    now = () => second + 5 * 3_600_000;
    await until(async () => {
      const [row] = (
        await house.app.records.query("SELECT next_run_at FROM bursts WHERE name = 'kiosk-takings'")
      )[0] as { next_run_at: Date }[];
      return row!.next_run_at.getTime() > second;
    });
    assert.equal((await started()).length, 1, 'five hours late is too late');
    await house.app.records.query(
      `UPDATE bursts SET definition = definition #- '{schedule,missed}' WHERE name = 'kiosk-takings'`,
    );
    // Nothing ran for three months: each of them is started, and no one is told as missed twice.
    const fifth = Date.parse(times.times[4]!.at);
    const settled = async (at: number) => {
      now = () => at;
      await until(async () => {
        const [row] = (
          await house.app.records.query("SELECT next_run_at FROM bursts WHERE name = 'kiosk-takings'")
        )[0] as { next_run_at: Date }[];
        return row!.next_run_at.getTime() > at;
      });
    };
    await settled(fifth + 1_000);
    await until(async () => (await started()).length === 4);
    now = undefined;
    const missed = (await house.app.records.query('SELECT at, outcome FROM missed_starts ORDER BY at DESC'))[0] as {
      at: Date;
      outcome: string;
    }[];
    assert.deepEqual(
      missed.map((one) => [one.at.toISOString(), one.outcome]),
      [
        [times.times[3]!.at, 'started late'],
        [times.times[2]!.at, 'started late'],
        [times.times[1]!.at, 'skipped'],
      ],
    );
    assert.deepEqual(
      (await started()).map((one) => one.period).sort(),
      [run!.period, ...times.times.slice(2, 5).map((one) => monthBefore(one.at))].sort(),
    );
    const notice = await until(async () =>
      (await mailsFrom(0)).findLast((one) => one.subject!.startsWith('Missed runs')),
    );
    assert.match(notice.text!, /started late\n.*started late/s);
  });
});
