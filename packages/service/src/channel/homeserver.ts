import { isRefusal, Refusal } from '@underbell/core/refusal';
import { GuardedHttp, type App } from '../platform/index.ts';
import type { ChatServerRow } from './models.ts';

const purpose = 'chat';
const answerWithinMs = 20_000;
/** No channel's state is larger. */
const mostBytes = 64 * 1024 * 1024;

export const sealKey = (app: App, key: string): string => app.vault.seal(key, purpose);

/** A chat's server that has no time just now. */
export class ServerBusy extends Error {
  override readonly name = 'ServerBusy';
  constructor(readonly retryAfterMs: number) {
    super('The chat server asks to wait.');
  }
}

interface Said {
  readonly errcode?: unknown;
  readonly error?: unknown;
  readonly retry_after_ms?: unknown;
}

const longestWait = 60_000;

async function readJson(answer: Awaited<ReturnType<GuardedHttp['ask']>>): Promise<unknown> {
  const parts: Uint8Array[] = [];
  let size = 0;
  for await (const part of answer.body ?? []) {
    size += (part as Uint8Array).byteLength;
    if (size > mostBytes) throw new Refusal('CHAT_REFUSED', 'The response of the chat server is too large.');
    parts.push(part as Uint8Array);
  }
  try {
    return JSON.parse(Buffer.concat(parts).toString('utf8')) as unknown;
  } catch (cause) {
    throw new Refusal('CHAT_REFUSED', 'The server does not respond as a Matrix server.', {}, { cause });
  }
}

/** What the server of a chat said against it, for whoever can do something about it. */
function refusalOf(status: number, { errcode, error }: Said, host: string): Refusal {
  const code = typeof errcode === 'string' ? errcode.slice(0, 60) : `status ${status}`;
  const words = typeof error === 'string' ? `: ${error.slice(0, 200)}` : '';
  if (status === 401)
    return new Refusal('CHAT_REFUSED', `${host} does not know this service (${code}).`, {
      word: code,
      hint: 'Its operator must install the registration file, or the new one after a key rotation.',
    });
  return new Refusal('CHAT_REFUSED', `${host} rejected the request (${code})${words}`, { word: code });
}

/** Speaks to servers of chats, as this service's own account there. */
export class Homeserver {
  readonly #http: GuardedHttp;
  readonly #base: string;
  readonly #key: string | undefined;

  constructor(app: App, chat: Pick<ChatServerRow, 'homeserver'> & { readonly sealedKey?: string }) {
    this.#http = new GuardedHttp({ allowedPrivateAddresses: app.settings.allowedPrivateAddresses });
    this.#base = chat.homeserver.replace(/\/+$/, '');
    this.#key = chat.sealedKey === undefined ? undefined : app.vault.open(chat.sealedKey, purpose);
  }

  /**
   * Asks, and reads the answer as JSON.
   *
   * @param path - below the server's address, each part of it encoded
   * @throws {Refusal} `CHAT_UNREACHABLE`, `CHAT_REFUSED`, `ADDRESS_FORBIDDEN`
   * @throws {ServerBusy}
   * @see Matrix specification, client-server API, "Standard error response"
   */
  async ask<T>(method: 'GET' | 'POST' | 'PUT', path: string, body?: object | Uint8Array, type?: string): Promise<T> {
    const { host } = new URL(this.#base);
    const isBytes = body instanceof Uint8Array;
    const answer = await this.#http
      .ask(`${this.#base}${path}`, {
        method,
        headers: {
          Accept: 'application/json',
          ...(this.#key === undefined ? {} : { Authorization: `Bearer ${this.#key}` }),
          ...(body === undefined ? {} : { 'Content-Type': type ?? 'application/json' }),
        },
        ...(body === undefined ? {} : { body: isBytes ? body : JSON.stringify(body) }),
        signal: AbortSignal.timeout(answerWithinMs),
      })
      .catch((cause: unknown) => {
        if (isRefusal(cause)) throw cause;
        throw new Refusal(
          'CHAT_UNREACHABLE',
          `The chat server ${host} is not responding.`,
          { hint: 'Check that it is running.' },
          { cause },
        );
      });
    const said = await readJson(answer);
    if (answer.ok) return said as T;
    const found = (typeof said === 'object' && said !== null ? said : {}) as Said;
    if (answer.status === 429) {
      const wait = Number(found.retry_after_ms);
      throw new ServerBusy(Number.isFinite(wait) && wait > 0 ? Math.min(wait, longestWait) : 5_000);
    }
    if (answer.status >= 500)
      throw new Refusal('CHAT_UNREACHABLE', `The chat server ${host} is not available (status ${answer.status}).`, {
        hint: 'Try again later.',
      });
    throw refusalOf(answer.status, found, host);
  }

  close(): Promise<void> {
    return this.#http.close();
  }
}

/** Speaks to the server of a chat for as long as some work takes. */
export async function withServer<T>(
  app: App,
  chat: Pick<ChatServerRow, 'homeserver'> & { readonly sealedKey?: string },
  work: (server: Homeserver) => Promise<T>,
): Promise<T> {
  const server = new Homeserver(app, chat);
  try {
    return await work(server);
  } finally {
    await server.close();
  }
}

const client = '/_matrix/client/v3';
const part = encodeURIComponent;
export const roomPath = (room: string, ...rest: readonly string[]): string =>
  [client, 'rooms', part(room), ...rest.map(part)].join('/');
export const clientPath = (rest: string): string => `${client}/${rest}`;
