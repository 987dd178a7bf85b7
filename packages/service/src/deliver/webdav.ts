import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { Readable } from 'node:stream';
import type { Response } from 'undici';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { GuardedHttp, IdleTimeout, type AddressPolicy } from '../platform/index.ts';
import { taken, testFileName, testText, type CopyFile, type PlacedCopy, type Transport } from './transport.ts';

export interface LibraryAccess {
  /** Of the folder that everything lies below. */
  readonly url: string;
  readonly user?: string;
  readonly password?: string;
}

/** A library that neither takes nor says anything for so long is taken for dead. */
const silentMs = 60_000;

/** A library that does not heed conditions may have taken somebody's file away: nothing more goes there. */
const overwrites = (name: string): Refusal =>
  new Refusal('DESTINATION_OVERWRITES', `The WebDAV server overwrote “${name}” although it was asked not to.`, {
    hint: 'It does not support If-None-Match (RFC 9110, section 13.1.2). Use another server or a server folder.',
  });

/** A file library that speaks WebDAV. @see RFC 4918, RFC 9110 section 13 for conditions */
export class LibraryTransport implements Transport {
  readonly #base: string;
  readonly #headers: Record<string, string>;
  /** Folders that are known to be there. */
  readonly #made = new Set<string>();

  readonly #http: GuardedHttp;

  constructor({ url, user, password }: LibraryAccess, reach: AddressPolicy) {
    this.#http = new GuardedHttp(reach);
    this.#base = url.replace(/\/+$/, '');
    this.#headers =
      user === undefined
        ? {}
        : { Authorization: `Basic ${Buffer.from(`${user}:${password ?? ''}`).toString('base64')}` };
  }

  #address(segments: readonly string[]): string {
    return [this.#base, ...segments.map(encodeURIComponent)].join('/');
  }

  /**
   * Asks once. A large file may take long to be taken; what counts is that it goes on.
   *
   * @param file - what is sent, whose progress is watched
   */
  async #ask(
    method: string,
    url: string,
    options: { headers?: Record<string, string>; text?: string; file?: CopyFile } = {},
  ): Promise<Response> {
    const watch = new IdleTimeout(silentMs);
    const { headers, text, file } = options;
    try {
      const body = file ? Readable.from(watch.passing(createReadStream(file.path))) : text;
      return await this.#http.ask(url, {
        method,
        headers: { ...this.#headers, ...headers },
        ...(body === undefined ? {} : { body, duplex: 'half' }),
        signal: watch.signal,
      });
    } catch (cause) {
      if (isRefusal(cause)) throw cause;
      throw new Refusal(
        'DESTINATION_UNREACHABLE',
        `The WebDAV server ${new URL(this.#base).host} is not responding.`,
        { hint: 'Check that it is running. The copies wait.' },
        { cause },
      );
    } finally {
      watch.end();
    }
  }

  /** What an answer means that is none of those expected. */
  async #refusal(answer: Response, what: string): Promise<Refusal> {
    await answer.body?.cancel();
    const said = `The WebDAV server returned ${answer.status}${answer.statusText ? ` ${answer.statusText}` : ''} to ${what}`;
    if (answer.status === 401 || answer.status === 403)
      return new Refusal('DESTINATION_CLOSED', said, { hint: 'Check username and password.' });
    if (answer.status === 507) return new Refusal('DESTINATION_CLOSED', `${said}: it is full.`);
    if ([408, 423, 425, 429].includes(answer.status) || answer.status >= 500)
      return new Refusal('DESTINATION_BUSY', said);
    return new Refusal('DESTINATION_REFUSED', said);
  }

  async #makeFolder(segments: readonly string[]): Promise<void> {
    for (let depth = 1; depth <= segments.length; depth++) {
      const url = this.#address(segments.slice(0, depth));
      if (this.#made.has(url)) continue;
      const answer = await this.#ask('MKCOL', `${url}/`);
      // 405: it is there already (RFC 4918, section 9.3.1).
      if (answer.status !== 201 && answer.status !== 405) throw await this.#refusal(answer, 'making a folder');
      await answer.body?.cancel();
      this.#made.add(url);
    }
  }

  /** Whether what lies there is this very file. */
  async #isSame(url: string, file: CopyFile): Promise<boolean> {
    const answer = await this.#ask('GET', url);
    if (!answer.ok || !answer.body) throw await this.#refusal(answer, 'reading a file');
    const hash = createHash('sha256');
    for await (const part of answer.body) hash.update(part as Uint8Array);
    return hash.digest('hex') === file.sha256;
  }

  async #putFile(url: string, file: CopyFile, replace: boolean): Promise<void> {
    const condition: Record<string, string> = replace ? await this.#stateOf(url) : { 'If-None-Match': '*' };
    const answer = await this.#ask('PUT', url, {
      headers: { 'Content-Type': file.type, 'Content-Length': String(file.sizeBytes), ...condition },
      file,
    });
    if (answer.status === 412) {
      await answer.body?.cancel();
      // A try before this one may have put it there without hearing the answer.
      if (await this.#isSame(url, file)) return;
      throw replace
        ? new Refusal('DESTINATION_BUSY', `“${file.name}” was changed by another program at the same time.`)
        : taken(file.name);
    }
    if (!answer.ok) throw await this.#refusal(answer, 'storing a file');
    await answer.body?.cancel();
    // What is new is answered with 201 (RFC 9110, section 9.3.4); anything else says that something was there before.
    if ('If-None-Match' in condition && answer.status !== 201) throw overwrites(file.name);
  }

  /** The condition under which a file is as it was seen: with its tag, or not there. */
  async #stateOf(url: string): Promise<Record<string, string>> {
    const answer = await this.#ask('HEAD', url);
    if (answer.status === 404) return { 'If-None-Match': '*' };
    if (!answer.ok) throw await this.#refusal(answer, 'looking for a file');
    const tag = answer.headers.get('etag');
    // A weak tag cannot stand in a condition for writing.
    return tag && !tag.startsWith('W/') ? { 'If-Match': tag } : {};
  }

  async put({ files, folder, replace }: PlacedCopy): Promise<string[]> {
    await this.#makeFolder(folder);
    const places: string[] = [];
    for (const file of files) {
      const url = this.#address([...folder, file.name]);
      await this.#putFile(url, file, replace);
      places.push(url);
    }
    return places;
  }

  async test(): Promise<string> {
    const url = this.#address([`${Date.now()}-${testFileName}`]);
    const put = await this.#ask('PUT', url, {
      headers: { 'If-None-Match': '*', 'Content-Type': 'text/plain' },
      text: testText,
    });
    if (!put.ok) throw await this.#refusal(put, 'storing a file');
    await put.body?.cancel();
    // The same once more: a library that takes it would overwrite whatever lies there.
    const twice = await this.#ask('PUT', url, {
      headers: { 'If-None-Match': '*', 'Content-Type': 'text/plain' },
      text: testText,
    });
    await twice.body?.cancel();
    const read = await this.#ask('GET', url);
    const text = read.ok ? await read.text() : undefined;
    const removed = await this.#ask('DELETE', url);
    if (text !== testText)
      throw new Refusal('DESTINATION_REFUSED', 'The WebDAV server did not return the stored file.');
    if (!removed.ok) throw await this.#refusal(removed, 'removing a file');
    await removed.body?.cancel();
    if (put.status !== 201 || twice.status !== 412) throw overwrites(url.slice(url.lastIndexOf('/') + 1));
    return 'A test file was written, not overwritten, read back and deleted.';
  }
}
