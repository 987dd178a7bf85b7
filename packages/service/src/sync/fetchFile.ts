import { Readable } from 'node:stream';
import type { ReadableStream } from 'node:stream/web';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { GuardedHttp, IdleTimeout, type App } from '../platform/index.ts';
import type { FollowedRow } from './models.ts';

const purpose = 'followed file';
/** A server that says nothing for so long is taken for dead. */
const silentMs = 60_000;

export const sealPassword = (app: App, password: string): string => app.vault.seal(password, purpose);

type Asked = Pick<FollowedRow, 'address' | 'username' | 'sealedPassword' | 'etag' | 'lastModified'>;

/** A file as it came: its bytes, and the marks by which it is asked for the next time. */
export interface FetchedFile {
  readonly body: Readable;
  readonly etag: string | null;
  readonly lastModified: string | null;
}

function refusalOf(status: number, host: string): Refusal {
  if (status === 401 || status === 403)
    return new Refusal('SOURCE_REFUSED', `${host} rejected the sign-in (${status}).`, {
      hint: 'Check username and password.',
    });
  if (status === 404 || status === 410)
    return new Refusal('SOURCE_REFUSED', `The file was not found at ${host} (${status}).`, {
      hint: 'Check the URL.',
    });
  return new Refusal('SOURCE_REFUSED', `${host} returned status ${status}.`, {
    hint: 'Check the URL, or try again later.',
  });
}

/**
 * Asks for a file unless it is what it was when it was taken over.
 *
 * @param use - reads the file; what it has not read then is not fetched
 * @returns what `use` makes of it; nothing for one that has not changed
 * @throws {Refusal} `SOURCE_UNREACHABLE`, `SOURCE_REFUSED`, `ADDRESS_FORBIDDEN`
 * @see RFC 9110, section 13: conditional requests; RFC 4918 for the libraries that it lies in
 */
export async function fetchFile<T>(
  app: App,
  file: Asked,
  use: (found: FetchedFile) => Promise<T>,
): Promise<T | undefined> {
  const http = new GuardedHttp({ allowedPrivateAddresses: app.settings.allowedPrivateAddresses });
  const watch = new IdleTimeout(silentMs);
  const done = new AbortController();
  const { host } = new URL(file.address);
  const password = file.sealedPassword === null ? '' : app.vault.open(file.sealedPassword, purpose);
  try {
    const answer = await http
      .ask(file.address, {
        headers: {
          Accept: '*/*',
          ...(file.username === null
            ? {}
            : { Authorization: `Basic ${Buffer.from(`${file.username}:${password}`).toString('base64')}` }),
          ...(file.etag === null ? {} : { 'If-None-Match': file.etag }),
          ...(file.etag === null && file.lastModified !== null ? { 'If-Modified-Since': file.lastModified } : {}),
        },
        signal: AbortSignal.any([watch.signal, done.signal]),
      })
      .catch((cause: unknown) => {
        if (isRefusal(cause)) throw cause;
        throw new Refusal('SOURCE_UNREACHABLE', `${host} is not responding.`, { hint: 'Check the URL.' }, { cause });
      });
    if (answer.status === 304) return undefined;
    if (!answer.ok || answer.body === null) throw refusalOf(answer.status, host);
    const wire = Readable.fromWeb(answer.body as ReadableStream);
    const body = Readable.from(watch.passing(wire));
    // What is given up below, unread, is told to nobody; whoever reads hears of it.
    for (const one of [wire, body]) one.on('error', () => undefined);
    return await use({
      body,
      etag: answer.headers.get('etag'),
      lastModified: answer.headers.get('last-modified'),
    });
  } finally {
    watch.end();
    // However much of it is still to come: nobody reads it.
    done.abort();
    await http.close().catch((error: unknown) => app.log.debug({ err: error }, 'a connection did not close well'));
  }
}
