import { mkdirSync, readdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
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
  /** Addresses whose mail is not taken just now; the sender is asked to try again. */
  readonly isBusy?: (address: string) => boolean;
  /** Called after each message that was taken. */
  readonly onMail?: (mail: StoredMail) => void;
}

/** A small mail host that speaks SMTP (RFC 5321) and keeps everything it is given. */
export class MailHost {
  readonly #options: MailHostOptions;
  readonly #server: SMTPServer;
  readonly #mails: StoredMail[] = [];

  constructor(options: MailHostOptions) {
    this.#options = options;
    if (options.folder) this.#load(options.folder);
    this.#server = new SMTPServer({
      disabledCommands: ['AUTH', 'STARTTLS'],
      logger: false,
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
          this.#keep(
            session.envelope.rcptTo.map((one) => one.address.toLowerCase()),
            Buffer.concat(parts),
          );
          done();
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
