import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { createServer as createLine, type AddressInfo, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { isRefusal } from '@underbell/core/refusal';
import { LibraryTransport } from '../../src/deliver/webdav.ts';
import { MailTransport } from '../../src/deliver/mail.ts';
import { listen } from '../house.ts';

const reach = { allowedPrivateAddresses: [], isOperators: true };

describe('a library', () => {
  /** What lies there, by path. */
  const kept = new Map<string, Buffer>();
  let heeds = true;
  let saysNew = true;
  let server: Server;
  let transport: LibraryTransport;
  let folder: string;
  before(async () => {
    folder = mkdtempSync(join(tmpdir(), 'underbell-strict-'));
    server = createServer((request, response) => {
      const path = request.url!;
      const chunks: Buffer[] = [];
      request.on('data', (chunk: Buffer) => chunks.push(chunk));
      request.on('end', () => {
        const has = kept.get(path);
        if (request.method === 'GET') return void response.writeHead(has ? 200 : 404).end(has);
        if (request.method === 'DELETE') return void response.writeHead(kept.delete(path) ? 204 : 404).end();
        if (heeds && has && request.headers['if-none-match'] === '*') return void response.writeHead(412).end();
        kept.set(path, Buffer.concat(chunks));
        response.writeHead(has || !saysNew ? 204 : 201).end();
      });
    });
    transport = new LibraryTransport({ url: `http://127.0.0.1:${await listen(server)}/files` }, reach);
  });
  after(() => {
    server.close();
    rmSync(folder, { recursive: true, force: true });
  });

  const put = (name: string, text: string) => {
    const path = join(folder, name);
    writeFileSync(path, text);
    const sha256 = createHash('sha256').update(text).digest('hex');
    const file = { name, path, type: 'text/plain', sizeBytes: Buffer.byteLength(text), sha256 };
    return transport.put({ key: 'k', files: [file], folder: [], replace: false } as never);
  };
  const refuses = (work: Promise<unknown>, code: string) =>
    assert.rejects(work, (error) => isRefusal(error, code as never) || assert.fail(String(error)));

  it('that heeds conditions is fine, and nothing stays of the test', async () => {
    assert.match(await transport.test(), /not overwritten/);
    assert.deepEqual([...kept.keys()], []);
    await put('a.txt', 'mine');
    await refuses(put('a.txt', 'other'), 'DESTINATION_REFUSED');
    // The same file once more is the try before, whose answer was lost.
    assert.equal((await put('a.txt', 'mine')).length, 1);
  });

  it('that overwrites whatever it is told is found by its test, and ends what goes there', async () => {
    heeds = false;
    await refuses(transport.test(), 'DESTINATION_OVERWRITES');
    assert.deepEqual([...kept.keys()], ['/files/a.txt'], 'nothing stays of the test');
    await refuses(put('a.txt', 'other'), 'DESTINATION_OVERWRITES');
    heeds = true;
    saysNew = false;
    await refuses(put('b.txt', 'new'), 'DESTINATION_OVERWRITES');
    await refuses(transport.test(), 'DESTINATION_OVERWRITES');
    saysNew = true;
  });
});

describe('a mail host', () => {
  /** Speaks SMTP (RFC 5321) far enough to be told a password, and offers no TLS. */
  const said: string[] = [];
  const lines = createLine((socket: Socket) => {
    socket.write('220 open.example ESMTP\r\n');
    socket.on('error', () => undefined);
    socket.on('data', (chunk) => {
      for (const line of chunk.toString().split('\r\n').filter(Boolean)) {
        said.push(line);
        const verb = line.slice(0, 4).toUpperCase();
        const answers: Record<string, string> = {
          EHLO: '250-open.example\r\n250 AUTH PLAIN LOGIN',
          AUTH: '235 fine',
          STAR: '502 not here',
        };
        socket.write(`${answers[verb] ?? '250 fine'}\r\n`);
      }
    });
  });
  let port = 0;
  before(async () => {
    await new Promise<void>((done) => lines.listen(0, '127.0.0.1', done));
    port = (lines.address() as AddressInfo).port;
  });
  after(() => lines.close());
  const check = async (host: string) => {
    said.length = 0;
    const smtpUrl = `smtp://user:very-secret@${host}:${port}`;
    const transport = new MailTransport({ smtpUrl, mailFrom: 'Reports <reports@bell.example>' }, reach);
    try {
      await transport.check();
    } finally {
      transport.close();
    }
  };

  it('elsewhere hears no password before the line is encrypted', async () => {
    // Written so that it says nothing of this machine, though it leads to it.
    await assert.rejects(
      check('2130706433'),
      (error) => isRefusal(error, 'DESTINATION_CLOSED') || assert.fail(String(error)),
    );
    assert.ok(said.some((line) => line.startsWith('EHLO')));
    assert.ok(!said.some((line) => line.startsWith('AUTH')), said.join(' | '));
  });

  it('on this very machine does', async () => {
    await check('127.0.0.1');
    assert.ok(said.some((line) => line.startsWith('AUTH')));
  });
});
