import { createHash } from 'node:crypto';
import type { Socket } from 'node:net';
import type { Readable } from 'node:stream';
import nodemailer from 'nodemailer';
import { printable } from '@underbell/core/format';
import { Refusal } from '@underbell/core/refusal';
import {
  connectGuarded,
  guardRefusal,
  isLoopbackAddress,
  type AddressPolicy,
  type Settings,
} from '../platform/index.ts';

export interface MailCopy {
  readonly messageId: string;
  readonly to: string;
  readonly subject: string;
  readonly text: string;
  readonly html?: string;
  readonly replyTo?: string;
  /** Address that takes one click to get no more of these (RFC 8058). */
  readonly unsubscribe?: string;
  /** Where notices of what could not be delivered go, when not to the sender's address. */
  readonly bounceAddress?: string;
  readonly attachments: readonly {
    readonly name: string;
    readonly path: string;
    readonly type: string;
    /** Of a picture that stands in the letter itself. */
    readonly contentId?: string;
  }[];
}

/** The fixed Message-ID of one copy: the same whoever sends it, however often it is tried. */
export function messageIdOf(parts: readonly (string | number)[], mailFrom: string): string {
  const host = /@([^>\s]+)/.exec(mailFrom)?.[1] ?? 'underbell.example';
  return `<${createHash('sha256').update(JSON.stringify(parts)).digest('hex').slice(0, 40)}@${host}>`;
}

/**
 * An answer with a reply code came from the host itself; anything else never reached it, unless the line broke.
 *
 * @param hasBegun - whether any of the letter itself went over the line
 */
function mailRefusal(cause: unknown, url: string, hasBegun = false): Refusal {
  const { responseCode, response, command } = cause as { responseCode?: number; response?: string; command?: string };
  const host = new URL(url).host;
  const guarded = guardRefusal(cause);
  if (guarded) return guarded;
  if ((cause as { code?: string }).code === 'ETLS')
    return new Refusal(
      'DESTINATION_CLOSED',
      `The mail server ${host} offers no encrypted connection, and the password is not sent without one.`,
      { hint: 'Use smtps://, or a server with STARTTLS (RFC 3207).' },
      { cause },
    );
  if (responseCode === undefined && (hasBegun || command === 'DATA')) {
    return new Refusal(
      'DELIVERY_UNCONFIRMED',
      `The mail server ${host} closed the connection while it received the email. It may have arrived.`,
      {},
      { cause },
    );
  }
  // A host that answers 4xx has not taken it and asks to be asked again (RFC 5321, section 4.2.1).
  if (responseCode !== undefined && responseCode >= 400 && responseCode < 500) {
    return new Refusal('DESTINATION_BUSY', `The mail server is busy: ${String(response).slice(0, 200)}`, {}, { cause });
  }
  if (responseCode !== undefined) {
    return new Refusal(
      'DESTINATION_REFUSED',
      `The mail server rejected the email: ${String(response).slice(0, 200)}`,
      {},
      { cause },
    );
  }
  return new Refusal(
    'DESTINATION_UNREACHABLE',
    `The mail server ${host} is not reachable.`,
    { hint: 'Check that it is running. The copies are kept for the next run.' },
    { cause },
  );
}

const isLoopbackHost = (host: string) => host === 'localhost' || isLoopbackAddress(host.replace(/^\[|\]$/g, ''));

const connectMs = 10_000;

/** How the library asks for a socket. */
type GetSocket = (
  options: { readonly host: string; readonly port: number },
  done: (error: Error | null, given?: { readonly connection: Socket }) => void,
) => void;

/** Connections to the mail host for the length of one run. */
export class MailTransport {
  readonly #settings: Pick<Settings, 'smtpUrl' | 'mailFrom'>;
  readonly #transport;
  /** Message-ID -> what is read of a letter once its host asks for it. */
  readonly #streams = new Map<string, Readable>();

  constructor(
    settings: Pick<Settings, 'smtpUrl' | 'mailFrom'>,
    reach: AddressPolicy,
    auth?: { readonly user: string; readonly pass: string },
  ) {
    this.#settings = settings;
    const url = new URL(settings.smtpUrl);
    this.#transport = nodemailer.createTransport({
      host: url.hostname,
      port: Number(url.port || 25),
      secure: url.protocol === 'smtps:',
      // A password never goes over a line that others can read; within one machine nobody else does.
      requireTLS: (auth !== undefined || url.username !== '') && !isLoopbackHost(url.hostname),
      ...(auth ? { auth } : {}),
      ...(url.username
        ? { auth: { user: decodeURIComponent(url.username), pass: decodeURIComponent(url.password) } }
        : {}),
      pool: true,
      maxConnections: 5,
      // Left to itself the library offers a letter again when the line breaks after it was handed over: it came twice.
      maxRequeues: 0,
      connectionTimeout: connectMs,
      greetingTimeout: 10_000,
      socketTimeout: 60_000,
      disableUrlAccess: true,
    });
    // The library connects nowhere itself: it is given sockets that looked where they go.
    const { transporter } = this.#transport as unknown as { transporter: { getSocket: GetSocket } };
    transporter.getSocket = ({ host, port }, done) =>
      void connectGuarded(reach, host, port, connectMs).then((connection) => done(null, { connection }), done);
    this.#transport.use('stream', ({ message }, done) => {
      const id = message.messageId();
      const open = message.createReadStream.bind(message);
      message.createReadStream = (...options) => {
        const stream = open(...options);
        this.#streams.set(id, stream);
        return stream;
      };
      done();
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
   *   `DESTINATION_UNREACHABLE`, `DELIVERY_UNCONFIRMED`
   */
  async send(copy: MailCopy): Promise<void> {
    try {
      await this.#transport.sendMail({
        from: this.#settings.mailFrom,
        to: { name: '', address: copy.to },
        subject: printable(copy.subject),
        text: printable(copy.text),
        ...(copy.html ? { html: printable(copy.html) } : {}),
        ...(copy.bounceAddress ? { envelope: { from: copy.bounceAddress, to: copy.to } } : {}),
        ...(copy.replyTo ? { replyTo: copy.replyTo } : {}),
        messageId: copy.messageId,
        headers: {
          'Auto-Submitted': 'auto-generated',
          ...(copy.unsubscribe
            ? {
                'List-Unsubscribe': { prepared: true, foldLines: true, value: `<${copy.unsubscribe}>` },
                'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
              }
            : {}),
        },
        attachments: copy.attachments.map(({ name, path, type, contentId }) => ({
          filename: name,
          path,
          contentType: type,
          ...(contentId ? { cid: contentId, contentDisposition: 'inline' as const } : {}),
        })),
      });
    } catch (cause) {
      const hasBegun = this.#streams.get(copy.messageId)?.readableDidRead === true;
      throw mailRefusal(cause, this.#settings.smtpUrl, hasBegun);
    } finally {
      this.#streams.delete(copy.messageId);
    }
  }

  close(): void {
    this.#transport.close();
  }
}
