import { createHash } from 'node:crypto';
import nodemailer from 'nodemailer';
import { Refusal } from '@underbell/core/refusal';
import type { Settings } from '../platform/index.ts';

export interface MailCopy {
  readonly messageId: string;
  readonly to: string;
  readonly subject: string;
  readonly text: string;
  readonly replyTo?: string;
  readonly attachments: readonly { readonly name: string; readonly path: string; readonly type: string }[];
}

/** The fixed Message-ID of one copy: the same whoever sends it, however often it is tried. */
export function messageIdOf(parts: readonly (string | number)[], mailFrom: string): string {
  const host = /@([^>\s]+)/.exec(mailFrom)?.[1] ?? 'underbell.example';
  return `<${createHash('sha256').update(JSON.stringify(parts)).digest('hex').slice(0, 40)}@${host}>`;
}

/** An answer with a reply code came from the host itself; anything else never reached it. */
function mailRefusal(cause: unknown, url: string): Refusal {
  const { responseCode, response, command } = cause as { responseCode?: number; response?: string; command?: string };
  const host = new URL(url).host;
  if (responseCode === undefined && command === 'DATA') {
    return new Refusal(
      'DELIVERY_IN_DOUBT',
      `the mail host ${host} broke off while it took the copy; it may have arrived`,
      {},
      { cause },
    );
  }
  // A host that answers 4xx has not taken it and asks to be asked again (RFC 5321, section 4.2.1).
  if (responseCode !== undefined && responseCode >= 400 && responseCode < 500) {
    return new Refusal(
      'DESTINATION_BUSY',
      `the mail host takes nothing just now: ${String(response).slice(0, 200)}`,
      {},
      { cause },
    );
  }
  if (responseCode !== undefined) {
    return new Refusal(
      'DESTINATION_REFUSED',
      `the mail host refused the copy: ${String(response).slice(0, 200)}`,
      {},
      { cause },
    );
  }
  return new Refusal(
    'DESTINATION_UNREACHABLE',
    `the mail host ${host} cannot be reached`,
    { hint: 'is it up? The copies are kept for the next run' },
    { cause },
  );
}

/** Connections to the mail host for the length of one run. */
export class MailRoad {
  readonly #settings: Pick<Settings, 'smtpUrl' | 'mailFrom'>;
  readonly #transport;

  constructor(
    settings: Pick<Settings, 'smtpUrl' | 'mailFrom'>,
    auth?: { readonly user: string; readonly pass: string },
  ) {
    this.#settings = settings;
    const url = new URL(settings.smtpUrl);
    this.#transport = nodemailer.createTransport({
      host: url.hostname,
      port: Number(url.port || 25),
      secure: url.protocol === 'smtps:',
      ...(auth ? { auth } : {}),
      ...(url.username
        ? { auth: { user: decodeURIComponent(url.username), pass: decodeURIComponent(url.password) } }
        : {}),
      pool: true,
      maxConnections: 5,
      connectionTimeout: 10_000,
      greetingTimeout: 10_000,
      socketTimeout: 60_000,
      disableUrlAccess: true,
    });
  }

  /** @throws {Refusal} `DESTINATION_UNREACHABLE`, `DESTINATION_REFUSED` */
  async check(): Promise<void> {
    try {
      await this.#transport.verify();
    } catch (cause) {
      throw mailRefusal(cause, this.#settings.smtpUrl);
    }
  }

  /**
   * Sends one copy.
   *
   * @throws {Refusal} `DESTINATION_BUSY` when it is worth trying again, `DESTINATION_REFUSED`,
   *   `DESTINATION_UNREACHABLE`, `DELIVERY_IN_DOUBT`
   */
  async send(copy: MailCopy): Promise<void> {
    try {
      await this.#transport.sendMail({
        from: this.#settings.mailFrom,
        to: { name: '', address: copy.to },
        subject: copy.subject,
        text: copy.text,
        ...(copy.replyTo ? { replyTo: copy.replyTo } : {}),
        messageId: copy.messageId,
        headers: { 'Auto-Submitted': 'auto-generated' },
        attachments: copy.attachments.map(({ name, path, type }) => ({ filename: name, path, contentType: type })),
      });
    } catch (cause) {
      throw mailRefusal(cause, this.#settings.smtpUrl);
    }
  }

  close(): void {
    this.#transport.close();
  }
}
