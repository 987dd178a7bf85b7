import { simpleParser, type Attachment } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { isSameSecret, type App } from '../platform/index.ts';
import { findDelivery, noteBounce } from './deliveryLog.ts';

const purpose = 'bounce';
/** Longer notices are none: they hold the heading of one letter. */
const maxBytes = 2_000_000;

/** The address that a notice about one copy comes back to; nobody else can make one. Local parts keep to 64 characters. */
export function bounceAddressOf(app: App, address: string, delivery: number): string {
  const [local, host] = address.split('@') as [string, string];
  return `${local}+${delivery}.${signatureOf(app, String(delivery))}@${host}`;
}

const signatureOf = (app: App, delivery: string) =>
  app.vault
    .sign(delivery, purpose)
    .replace(/[^A-Za-z0-9]/g, '')
    .slice(0, 24)
    .toLowerCase();

/** The copy that a notice is about, from the address that it came to. */
function deliveryOf(app: App, address: string): number | undefined {
  const [, id, signature] = /\+(\d{1,9})\.([a-z0-9]{1,24})@/.exec(address.toLowerCase()) ?? [];
  return id !== undefined && isSameSecret(signature!, signatureOf(app, id)) ? Number(id) : undefined;
}

/** What a delivery status notice says of a copy. */
export interface DeliveryStatus {
  readonly action: string;
  /** In words, with the status code. */
  readonly reason: string;
}

/** Reads the status part of a notice (RFC 3464); nothing where a letter has none. */
export async function readDeliveryStatus(raw: Buffer): Promise<DeliveryStatus | undefined> {
  const { attachments } = await simpleParser(raw, { keepDeliveryStatus: true });
  const part = attachments.find((one: Attachment) => one.contentType === 'message/delivery-status');
  if (!part) return undefined;
  const text = part.content
    .toString('utf8')
    .replace(/\r\n/g, '\n')
    .replace(/\n[ \t]+/g, ' ');
  const field = (name: string) => new RegExp(`^${name}:[ \t]*(.*)$`, 'im').exec(text)?.[1]?.trim();
  const action = field('Action')?.toLowerCase();
  if (action === undefined) return undefined;
  const words = field('Diagnostic-Code')?.replace(/^[\w-]+;\s*/, '') ?? 'the mail host gave no reason';
  return { action, reason: `${words.slice(0, 300)}${field('Status') ? ` (${field('Status')})` : ''}` };
}

/** Takes what comes back for one address: notes on the copy what the notice says. Other letters are dropped. */
async function take(app: App, to: readonly string[], raw: Buffer): Promise<void> {
  const ids = to.map((one) => deliveryOf(app, one)).filter((one) => one !== undefined);
  const status = ids.length > 0 ? await readDeliveryStatus(raw) : undefined;
  if (status?.action !== 'failed') return;
  for (const id of ids) if (await findDelivery(app, id)) await noteBounce(app, id, status.reason);
}

/**
 * Listens for notices of letters that could not be delivered (RFC 3464). Takes letters to bounce addresses of this
 * installation only.
 *
 * @returns stops listening
 */
export async function listenForBounces(
  app: App,
  address: string,
): Promise<{ port: number; close: () => Promise<void> }> {
  const { hostname, port } = new URL(address);
  const server = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    logger: false,
    size: maxBytes,
    onRcptTo: (to, _session, done) =>
      done(
        deliveryOf(app, to.address) === undefined
          ? Object.assign(new Error('no such mailbox'), { responseCode: 550 })
          : null,
      ),
    onData: (stream, session, done) => {
      const parts: Buffer[] = [];
      // What goes beyond the limit is read to its end, and kept by nobody.
      stream.on('data', (part: Buffer) => void (stream.sizeExceeded || parts.push(part)));
      stream.on('end', () => {
        if (stream.sizeExceeded) return done(Object.assign(new Error('too long'), { responseCode: 552 }));
        const to = session.envelope.rcptTo.map((one) => one.address);
        take(app, to, Buffer.concat(parts)).then(
          () => done(),
          (error: unknown) => {
            app.log.error({ err: error }, 'a notice could not be taken');
            // Whoever brought it brings it again.
            done(Object.assign(new Error('try again later'), { responseCode: 451 }));
          },
        );
      });
    },
  });
  server.on('error', (error) => app.log.warn({ err: error }, 'a connection that brought a notice broke off'));
  const listening = await new Promise<{ port: number }>((resolve, reject) => {
    server.once('error', reject);
    const made = server.listen(Number(port), hostname, () => resolve(made.address() as { port: number }));
  });
  return { port: listening.port, close: () => new Promise((resolve) => server.close(() => resolve())) };
}
