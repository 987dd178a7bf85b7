import { randomUUID } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { Webhook } from 'standardwebhooks';
import type { Response } from 'undici';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { GuardedHttp, type AddressPolicy } from '../platform/index.ts';
import type { PlacedCopy, Transport } from './transport.ts';

export interface WebhookAccess {
  readonly url: string;
  /** `whsec_` and the key in base64. */
  readonly secret: string;
  /** Who tells: the service's own address. */
  readonly source: string;
}

const answerMs = 30_000;
/** What travels inside one message. */
const maxBytes = 8_000_000;

/** A program of somebody's, told by signed CloudEvents (1.0, structured JSON). */
export class WebhookTransport implements Transport {
  readonly #access: WebhookAccess;
  readonly #now: () => number;

  readonly #http: GuardedHttp;

  constructor(access: WebhookAccess, now: () => number, reach: AddressPolicy) {
    this.#http = new GuardedHttp(reach);
    this.#access = access;
    this.#now = now;
  }

  async #tell(id: string, type: string, data: object): Promise<void> {
    const { url, secret, source } = this.#access;
    const time = new Date(this.#now());
    const body = JSON.stringify({ specversion: '1.0', id, source, type, time: time.toISOString(), data });
    let answer: Response;
    try {
      answer = await this.#http.ask(url, {
        method: 'POST',
        headers: {
          'Content-Type': 'application/cloudevents+json',
          'webhook-id': id,
          'webhook-timestamp': String(Math.floor(time.getTime() / 1000)),
          // Standard Webhooks 1.0, symmetric signatures.
          'webhook-signature': new Webhook(secret).sign(id, time, body),
        },
        body,
        signal: AbortSignal.timeout(answerMs),
      });
    } catch (cause) {
      if (isRefusal(cause)) throw cause;
      throw new Refusal(
        'DESTINATION_UNREACHABLE',
        `The webhook at ${new URL(url).host} is not responding.`,
        { hint: 'Check that it is running. The copies wait.' },
        { cause },
      );
    }
    await answer.body?.cancel();
    if (answer.ok) return;
    const said = `The webhook returned status ${answer.status}`;
    if (answer.status === 401 || answer.status === 403) throw new Refusal('DESTINATION_CLOSED', said);
    if (answer.status === 410)
      throw new Refusal('DESTINATION_CLOSED', `${said}: it does not accept messages any more.`);
    if ([408, 425, 429].includes(answer.status) || answer.status >= 500) throw new Refusal('DESTINATION_BUSY', said);
    throw new Refusal('DESTINATION_REFUSED', said);
  }

  /** The receiver knows a message that comes twice by its id. */
  async put({ key, files, about }: PlacedCopy): Promise<string[]> {
    const size = files.reduce((sum, file) => sum + file.sizeBytes, 0);
    if (size > maxBytes)
      throw new Refusal('DESTINATION_REFUSED', `The files are too large for a message: ${size} bytes.`, {
        hint: `A message has at most ${maxBytes / 1_000_000} MB. Use a WebDAV folder instead.`,
      });
    const carried = await Promise.all(
      files.map(async ({ name, path, type, sizeBytes, sha256 }) => ({
        name,
        type,
        sizeBytes,
        sha256,
        content: (await readFile(path)).toString('base64'),
      })),
    );
    await this.#tell(key, 'burst.copy.made', { ...about, files: carried });
    return [];
  }

  async test(): Promise<string> {
    await this.#tell(`test-${randomUUID()}`, 'destination.test', {});
    return 'A signed test message was accepted.';
  }
}
