import assert from 'node:assert/strict';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { createMailboxPages, MailHost } from '../src/index.ts';

/** Speaks SMTP line by line. @returns the replies */
function talk(port: number, lines: readonly string[]): Promise<string[]> {
  return new Promise((resolve, reject) => {
    const replies: string[] = [];
    const waiting = [...lines];
    const socket = connect(port, '127.0.0.1');
    let rest = '';
    socket.on('data', (chunk) => {
      const pieces = (rest + String(chunk)).split('\r\n');
      rest = pieces.pop()!;
      for (const piece of pieces.filter((one) => !/^\d{3}-/.test(one))) {
        replies.push(piece);
        const next = waiting.shift();
        if (next === undefined) socket.end();
        else socket.write(`${next}\r\n`);
      }
    });
    socket.on('close', () => resolve(replies));
    socket.on('error', reject);
  });
}

const message =
  'From: a@skerrow.example\r\nSubject: Gr=?utf-8?q?=C3=BC?= <b>\r\nMessage-ID: <m1@skerrow.example>\r\n\r\nHello <script>\r\n.';
const envelope = (to: string) => [
  'EHLO test',
  'MAIL FROM:<a@skerrow.example>',
  `RCPT TO:<${to}>`,
  'DATA',
  message,
  'QUIT',
];

describe('the mail host', () => {
  const folder = mkdtempSync(join(tmpdir(), 'underbell-mail-'));
  let host: MailHost;
  let port: number;
  let pages: Server;
  let url: string;
  before(async () => {
    host = new MailHost({
      port: 0,
      folder,
      refuses: (address) => (address.startsWith('full') ? 'mailbox is full' : undefined),
    });
    port = await host.start();
    pages = createServer(createMailboxPages(host).callback());
    await new Promise<void>((resolve) => pages.listen(0, '127.0.0.1', resolve));
    url = `http://127.0.0.1:${(pages.address() as { port: number }).port}`;
  });
  after(async () => {
    pages.closeAllConnections();
    pages.close();
    await host.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  it('keeps what it is given', async () => {
    const replies = await talk(port, envelope('Kira@skerrow.example'));
    assert.ok(replies.some((one) => one.startsWith('354')));
    assert.deepEqual(
      host.mails.map((mail) => mail.to),
      [['kira@skerrow.example']],
    );
    assert.equal((await host.parse(host.mails[0]!)).messageId, '<m1@skerrow.example>');
  });

  it('refuses the addresses it is told to', async () => {
    const replies = await talk(port, [
      'EHLO test',
      'MAIL FROM:<a@skerrow.example>',
      'RCPT TO:<full@skerrow.example>',
      'QUIT',
    ]);
    assert.ok(replies.some((one) => one.startsWith('550') && one.includes('mailbox is full')));
    assert.equal(host.mails.length, 1);
  });

  it('still has everything after a restart', async () => {
    const again = new MailHost({ port: 0, folder });
    assert.deepEqual(
      again.mails.map((mail) => [mail.id, mail.to]),
      [[1, ['kira@skerrow.example']]],
    );
  });

  it('shows mailboxes and messages, and runs nothing that a mail says', async () => {
    assert.match(await (await fetch(url)).text(), /1 messages in 1 mailboxes/);
    assert.match(await (await fetch(`${url}/box/kira%40skerrow.example`)).text(), /&#60;b&#62;/);
    const shown = await (await fetch(`${url}/mail/1`)).text();
    assert.ok(!shown.includes('<script>'));
    assert.equal((await fetch(`${url}/mail/99`)).status, 404);
    assert.deepEqual(
      ((await (await fetch(`${url}/api/mails`)).json()) as { to: string[] }[]).map((mail) => mail.to),
      [['kira@skerrow.example']],
    );
  });
});
