import { mkdirSync, readdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import type { Socket } from 'node:net';
import { join } from 'node:path';
import { createTransport } from 'nodemailer';
import { simpleParser, type ParsedMail } from 'mailparser';
import { SMTPServer } from 'smtp-server';

/** One message as it arrived. */
export interface StoredMail {
  readonly id: number;
  readonly to: readonly string[];
  readonly raw: Buffer;
}

export interface MailHostOptions {
  /** 0 takes a free one. */
  readonly port: number;
  /** Messages are kept here across restarts; in memory only when left out. */
  readonly folder?: string;
  /** Addresses whose mail is refused, with the reply that they get. */
  readonly refuses?: (address: string) => string | undefined;
  /** What happens once a letter is kept, before that is said: so many milliseconds pass, or the line breaks. */
  readonly afterData?: (address: string) => number | 'drop' | undefined;
  /** Addresses whose mail is not taken just now; the sender is asked to try again. */
  readonly isBusy?: (address: string) => boolean;
  /** Addresses whose mail is taken and then comes back, with the reason that the notice gives. */
  readonly bounces?: (address: string) => string | undefined;
  /** Where such notices are handed on to; nowhere when left out. */
  readonly bounceListenUrl?: string;
  /** Called after each message that was taken. */
  readonly onMail?: (mail: StoredMail) => void;
}

/** A notice that a letter could not be delivered, with the heading of the letter. */
function statusNotice(from: string, to: string, reason: string, raw: Buffer): string {
  const text = raw.toString('latin1');
  const heading = text.slice(0, text.indexOf('\r\n\r\n'));
  const part = (type: string, body: string) => `--notice\r\nContent-Type: ${type}\r\n\r\n${body}\r\n`;
  return [
    `From: Mail host <postmaster@skerrow.example>\r\nTo: ${from}\r\nSubject: Your email bounced\r\nMIME-Version: 1.0\r\n`,
    'Auto-Submitted: auto-replied\r\nContent-Type: multipart/report; report-type=delivery-status; boundary=notice\r\n\r\n',
    part('text/plain', `Your email to ${to} could not be delivered: ${reason}`),
    part(
      'message/delivery-status',
      `Reporting-MTA: dns; mail.skerrow.example\r\n\r\nFinal-Recipient: rfc822; ${to}\r\nAction: failed\r\nStatus: 5.1.1\r\nDiagnostic-Code: smtp; 550 ${reason}\r\n`,
    ),
    part('text/rfc822-headers', heading),
    '--notice--\r\n',
  ].join('');
}

/** A small mail host that speaks SMTP (RFC 5321) and keeps everything it is given. */
export class MailHost {
  readonly #options: MailHostOptions;
  readonly #server: SMTPServer;
  readonly #mails: StoredMail[] = [];
  /** Connection -> who its letter is from: commands that come at once leave the envelope without it. */
  readonly #senders = new Map<string, string>();

  constructor(options: MailHostOptions) {
    this.#options = options;
    if (options.folder) this.#load(options.folder);
    this.#server = new SMTPServer({
      disabledCommands: ['AUTH', 'STARTTLS'],
      logger: false,
      onMailFrom: ({ address }, session, done) => {
        this.#senders.set(session.id, address);
        done();
      },
      onClose: ({ id }) => void this.#senders.delete(id),
      onRcptTo: (address, _session, done) => {
        if (options.isBusy?.(address.address))
          return done(Object.assign(new Error('try again later'), { responseCode: 451 }));
        const reply = options.refuses?.(address.address);
        done(reply === undefined ? null : Object.assign(new Error(reply), { responseCode: 550 }));
      },
      onData: (stream, session, done) => {
        const parts: Buffer[] = [];
        stream.on('data', (part: Buffer) => parts.push(part));
        stream.on('end', () => {
          const to = session.envelope.rcptTo.map((one) => one.address.toLowerCase());
          const raw = Buffer.concat(parts);
          this.#keep(to, raw);
          this.#answer(session.id, options.afterData?.(to[0] ?? ''), done);
          const from = this.#senders.get(session.id) ?? '';
          if (from !== '') void this.#bounce(from, to, raw);
        });
      },
    });
    // A client that goes away in the middle is not this host's fault.
    this.#server.on('error', () => undefined);
  }

  #load(folder: string): void {
    mkdirSync(folder, { recursive: true });
    for (const file of readdirSync(folder)
      .filter((name) => name.endsWith('.json'))
      .sort()) {
      const { id, to } = JSON.parse(readFileSync(join(folder, file), 'utf8')) as StoredMail;
      this.#mails.push({ id, to, raw: readFileSync(join(folder, file.replace('.json', '.eml'))) });
    }
  }

  #keep(to: readonly string[], raw: Buffer): void {
    const id = (this.#mails.at(-1)?.id ?? 0) + 1;
    const mail = { id, to, raw };
    const { folder } = this.#options;
    if (folder) {
      const stem = join(folder, String(id).padStart(6, '0'));
      writeFileSync(`${stem}.eml`, raw);
      writeFileSync(`${stem}.new`, JSON.stringify({ id, to }));
      renameSync(`${stem}.new`, `${stem}.json`);
    }
    this.#mails.push(mail);
    this.#options.onMail?.(mail);
  }

  /** Says that a letter was taken: at once, late, or never, because the line breaks first. */
  #answer(session: string, trouble: number | 'drop' | undefined, done: () => void): void {
    if (trouble === undefined) return done();
    if (trouble !== 'drop') return void setTimeout(done, trouble);
    const lines = this.#server.connections as unknown as Set<{ session: { id: string }; _socket: Socket }>;
    for (const line of lines) if (line.session.id === session) line._socket.destroy();
  }

  /** Sends a letter back that cannot be delivered after all. @see RFC 3464 */
  async #bounce(from: string, to: readonly string[], raw: Buffer): Promise<void> {
    const { bounces, bounceListenUrl } = this.#options;
    for (const address of to) {
      const reason = bounces?.(address);
      if (reason === undefined || bounceListenUrl === undefined) continue;
      const { hostname, port } = new URL(bounceListenUrl);
      const transport = createTransport({ host: hostname, port: Number(port), secure: false, ignoreTLS: true });
      const notice = statusNotice(from, address, reason, raw);
      // Whoever sent the letter may have gone: a notice is tried once.
      await transport.sendMail({ envelope: { from: '', to: from }, raw: notice }).catch(() => undefined);
      transport.close();
    }
  }

  get mails(): readonly StoredMail[] {
    return this.#mails;
  }

  parse(mail: StoredMail): Promise<ParsedMail> {
    return simpleParser(mail.raw);
  }

  /** @returns the port it listens on */
  start(): Promise<number> {
    return new Promise((resolve, reject) => {
      this.#server.once('error', reject);
      const listening = this.#server.listen(this.#options.port, '127.0.0.1', () =>
        resolve((listening.address() as { port: number }).port),
      );
    });
  }

  stop(): Promise<void> {
    return new Promise((resolve) => this.#server.close(() => resolve()));
  }
}
