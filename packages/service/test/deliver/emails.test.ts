import assert from 'node:assert/strict';
import { createServer } from 'node:net';
import { after, before, describe, it } from 'node:test';
import type { AddressInfo } from 'node:net';
import { bounceAddressOf, readDeliveryStatus } from '../../src/deliver/bounces.ts';
import { House, publisher, until, type DeliveryLog } from '../house.ts';

/** A port that nobody listens on. */
async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

describe('letters of a burst', () => {
  let house: House;
  let bounceListenUrl: string;
  let second = '';
  before(async () => {
    bounceListenUrl = `smtp://127.0.0.1:${await freePort()}`;
    house = await House.open({
      hasDemo: true,
      environment: {
        UNDERBELL_BOUNCE_ADDRESS: 'bounces@skerrow.example',
        UNDERBELL_BOUNCE_LISTEN_URL: bounceListenUrl,
      },
      mail: {
        bounceListenUrl,
        bounces: (address) => (address.includes('.q003@') ? 'no such mailbox here' : undefined),
      },
    });
    const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
      bursts: { name: string; definition: { destination: object; formats: string[] } }[];
    };
    const { definition } = bursts.find((one) => one.name === 'quay-pack')!;
    const saved = await house.call('PUT', '/api/v1/bursts', {
      as: publisher,
      body: {
        ...definition,
        formats: [],
        summary: 'always',
        destination: { ...definition.destination, page: true, unsubscribe: true },
      },
    });
    assert.equal(saved.status, 200, saved.text);
  });
  after(() => house.close());

  async function run(body: object): Promise<DeliveryLog> {
    const started = await house.call('POST', '/api/v1/bursts/quay-pack/runs', { as: publisher, body });
    assert.equal(started.status, 202, started.text);
    return house.finished((started.body as unknown as { id: number }).id, publisher);
  }
  const letterTo = async (address: string) => {
    const mail = house.mail.mails.findLast((one) => one.to.includes(address));
    assert.ok(mail, `a letter to ${address}`);
    return { ...(await house.mail.parse(mail)), raw: mail.raw.toString('utf8') };
  };

  it('show the page as a picture of their own, its numbers in words, and a link', async () => {
    const ledger = await run({ period: '2026-10', only: ['Q001', 'Q002', 'Q003'] });
    assert.deepEqual([ledger.state, ledger.counts.sent], ['done', 3]);
    const entries = ledger.entries as unknown as {
      address: string;
      files: { isInline?: boolean; sha256?: string }[];
    }[];
    const [q1, q2] = [await letterTo(entries[0]!.address), await letterTo(entries[1]!.address)];
    second = entries[1]!.address;
    const [picture] = q1.attachments;
    assert.equal(q1.attachments.length, 1);
    assert.deepEqual([picture!.contentType, picture!.contentDisposition], ['image/png', 'inline']);
    assert.match(q1.raw, /Content-ID: <page@under-bell>/i);
    assert.match(q1.raw, /src=3D"cid:page@under-bell"|src="cid:page@under-bell"/);
    assert.match(q1.text!, /Departed on time: \d+\.\d %/);
    assert.match(q1.text!, /quay is Q001/);
    assert.match(q1.text!, /\/console\/reports\/quay-punctuality/);
    assert.notDeepEqual(picture!.content, q2.attachments[0]!.content);
    assert.ok(
      entries[0]!.files.every((one) => one.isInline === true && one.sha256 !== undefined),
      'what was shown is on the ledger',
    );
  });

  it('tell the sender how it went', async () => {
    const subject = await until(async () => {
      const mail = house.mail.mails.findLast((one) => one.to.includes(publisher));
      return mail && house.mail.parse(mail);
    });
    assert.equal(subject.subject, 'Monthly quay pack: 3 sent');
    assert.match(subject.text!, /3 sent, 0 skipped, 0 failed/);
    assert.match(subject.text!, /\/console\/bursts\/quay-pack\?run=1/);
  });

  it('that come back are noted on the copy and in the next plan, by notices that nobody can forge', async () => {
    const bounced = await until(async () => {
      const { body } = await house.call('GET', '/api/v1/runs/1', { as: publisher });
      const entries = (body as unknown as { entries: { recipient: string; bounce?: string }[] }).entries;
      return entries.find((one) => one.bounce !== undefined);
    });
    assert.deepEqual([bounced.recipient, bounced.bounce], ['Q003', '550 no such mailbox here (5.1.1)']);
    const plan = await house.call('GET', '/api/v1/bursts/quay-pack/preview?period=2026-09', { as: publisher });
    assert.deepEqual((plan.body as unknown as { bounced: object }).bounced, [
      { recipient: 'Q003', reason: '550 no such mailbox here (5.1.1)' },
    ]);
    const { createTransport } = await import('nodemailer');
    const { hostname, port } = new URL(bounceListenUrl);
    const forger = createTransport({ host: hostname, port: Number(port), ignoreTLS: true });
    await assert.rejects(
      forger.sendMail({
        envelope: { from: '', to: 'bounces+1.aaaaaaaaaaaaaaaaaaaaaaaa@skerrow.example' },
        raw: 'Subject: x\r\n\r\nx',
      }),
      /no such mailbox/,
    );
    forger.close();
  });

  it('that come back are no longer than a notice may be, and what is longer is not kept', async () => {
    const { createTransport } = await import('nodemailer');
    const { hostname, port } = new URL(bounceListenUrl);
    const envelope = { from: '', to: bounceAddressOf(house.app, 'bounces@skerrow.example', 1) };
    const raw = `Subject: long\r\n\r\n${'x'.repeat(998).concat('\r\n').repeat(3_000)}`;
    const sender = createTransport({ host: hostname, port: Number(port), ignoreTLS: true });
    await assert.rejects(sender.sendMail({ envelope, raw }), { responseCode: 552 });
    await sender.sendMail({ envelope, raw: 'Subject: short\r\n\r\nno notice' });
    sender.close();
  });

  it('can be refused for good with one click, and only by a click', async () => {
    const letter = await letterTo(second);
    const address: string | undefined = /List-Unsubscribe: <([^>]+)>/i
      .exec(letter.raw.replace(/\r\n[ \t]+/g, ' '))?.[1]
      ?.replace(' ', '');
    assert.ok(address, letter.raw.slice(0, 2000));
    assert.match(letter.raw, /List-Unsubscribe-Post: List-Unsubscribe=One-Click/);
    const ask = await fetch(address);
    assert.equal(ask.status, 200);
    assert.ok((await ask.text()).includes(`Unsubscribe ${second} from “Monthly quay pack”?`), address);
    const reason = async () => {
      const { body } = await house.call('GET', '/api/v1/bursts/quay-pack/preview?period=2026-09', { as: publisher });
      const { entries } = body as unknown as { entries: { recipient: string; reason?: string }[] };
      return entries.find((one) => one.recipient === 'Q002')!.reason;
    };
    assert.equal(await reason(), undefined);
    for (let times = 0; times < 2; times++) {
      const done: Response = await fetch(address, {
        method: 'POST',
        headers: { 'Content-Type': 'application/x-www-form-urlencoded' },
        body: 'List-Unsubscribe=One-Click',
      });
      assert.equal(done.status, 200);
    }
    assert.match((await reason())!, /^unsubscribed since 20/);
    const forged = await fetch(
      address.replace(/.$/, (last) => (last === 'A' ? 'B' : 'A')),
      { method: 'POST' },
    );
    assert.equal(forged.status, 404);
    const path = '/api/v1/bursts/quay-pack';
    const said = await house.call('GET', `${path}/unsubscribed`, { as: publisher });
    assert.ok(said.text.includes(second), said.text);
    const again = await house.call('POST', `${path}/resubscribe`, {
      as: publisher,
      body: { address: second },
    });
    assert.equal(again.status, 204, again.text);
    assert.equal(await reason(), undefined);
  });
});

describe('a burst that waits for its data', () => {
  it('runs after a refresh, once a day at most, and tells its sender', async () => {
    const house = await House.open({ hasDemo: true });
    try {
      const { bursts } = (await house.call('GET', '/api/v1/bursts', { as: publisher })).body as unknown as {
        bursts: { name: string; definition: object }[];
      };
      const { definition } = bursts.find((one) => one.name === 'quay-pack')!;
      const saved = await house.call('PUT', '/api/v1/bursts', {
        as: publisher,
        body: { ...definition, formats: ['csv'], afterRefresh: 'this' },
      });
      assert.equal(saved.status, 200, saved.text);
      const refresh = () => house.call('POST', '/api/v1/datasets/sailings/refresh', { as: publisher, body: {} });
      const runs = async (burst = 'quay-pack') =>
        (
          (await house.call('GET', `/api/v1/runs?burst=${burst}`, { as: publisher })).body as unknown as {
            runs: DeliveryLog[];
          }
        ).runs;
      const isIdle = () =>
        until(async () => {
          const [left] = (await house.app.records.query(
            "SELECT count(*)::int AS left FROM jobs WHERE kind IN ('dataset.refreshed', 'burst.start') AND state IN ('waiting', 'leased')",
          )) as unknown as [{ left: number }[]];
          return left[0]!.left === 0 ? true : undefined;
        });
      await isIdle();
      for (const burst of ['quay-pack', 'quay-rows'])
        assert.deepEqual(await runs(burst), [], 'what was loaded before it was set up starts nothing');
      assert.ok((await refresh()).status < 300);
      const [first] = await until(async () => ((await runs()).length > 0 ? runs() : undefined));
      const ended = (await house.finished(first!.id, publisher)) as DeliveryLog & { cause: string };
      assert.equal(ended.cause, 'refresh');
      assert.ok((await refresh()).status < 300);
      await isIdle();
      assert.equal((await runs()).length, 1);
      await until(async () => {
        const own = house.mail.mails.filter((one) => one.to.includes(publisher));
        const subjects = await Promise.all(own.map(async (one) => (await house.mail.parse(one)).subject ?? ''));
        return subjects.find((one) => one.startsWith('Monthly quay pack'));
      });
    } finally {
      await house.close();
    }
  });
});

describe('readDeliveryStatus', () => {
  const notice = (status: string, type = 'message/delivery-status') =>
    Buffer.from(
      `Subject: back\r\nMIME-Version: 1.0\r\nContent-Type: multipart/report; report-type=delivery-status; boundary=b\r\n\r\n--b\r\nContent-Type: text/plain\r\n\r\nsorry\r\n--b\r\nContent-Type: ${type}\r\n\r\n${status}\r\n--b--\r\n`,
    );

  it('reads what failed, with folded lines, and nothing of other letters', async () => {
    const failed = notice(
      'Reporting-MTA: dns; a.example\r\n\r\nFinal-Recipient: rfc822; x@y.example\r\nAction: failed\r\nStatus: 5.2.2\r\nDiagnostic-Code: smtp; 552 the mailbox\r\n is full',
    );
    assert.deepEqual(await readDeliveryStatus(failed), { action: 'failed', reason: '552 the mailbox is full (5.2.2)' });
    const delayed = notice('Reporting-MTA: dns; a.example\r\n\r\nAction: delayed\r\nStatus: 4.4.1');
    assert.deepEqual(await readDeliveryStatus(delayed), {
      action: 'delayed',
      reason: 'the mail host gave no reason (4.4.1)',
    });
    assert.equal(await readDeliveryStatus(notice('Action: failed', 'text/plain')), undefined);
    assert.equal(await readDeliveryStatus(Buffer.from('Subject: hello\r\n\r\nAction: failed')), undefined);
  });
});
