import assert from 'node:assert/strict';

/** Where screens without scripts are. */
export const at = '/screen/picture';

/** A page whose answer stays open, as a browser draws it piece by piece. */
export class ActiveAccessPage {
  text = '';
  readonly #reader: ReadableStreamDefaultReader<Uint8Array>;
  readonly #decoder = new TextDecoder();
  constructor(readonly answer: Response) {
    this.#reader = answer.body!.getReader();
  }

  /** Reads on until something stands there. */
  async until(words: RegExp): Promise<string> {
    let isWhole = false;
    while (!words.test(this.text) && !isWhole) {
      const { done, value } = await this.#reader.read();
      isWhole = done;
      if (value) this.text += this.#decoder.decode(value, { stream: true });
    }
    assert.match(this.text, words);
    return this.text;
  }
  /** Everything that is on it when it ends. */
  whole = () => this.until(/<\/html>\n$/);
  leave = () => this.#reader.cancel();
}

/** Pictures that come one in the place of the other, as a browser takes them: each is whole when the next one begins. */
export class PictureStream {
  /** Those that are whole. */
  readonly pictures: Buffer[] = [];
  isWhole = false;
  readonly #reader: ReadableStreamDefaultReader<Uint8Array>;
  readonly #boundary: string;
  #rest = Buffer.alloc(0);
  constructor(answer: Response) {
    const type = answer.headers.get('content-type')!;
    assert.match(type, /^multipart\/x-mixed-replace; ?boundary=/);
    this.#boundary = type.replace(/^.*boundary=/, '');
    this.#reader = answer.body!.getReader();
  }

  /** Reads on until there are so many, or it ends. */
  async until(count: number): Promise<Buffer> {
    const head = Buffer.from('\r\n\r\n');
    while (!this.isWhole) {
      for (;;) {
        const next = this.#rest.indexOf(`--${this.#boundary}`);
        if (next < 0) break;
        const part = this.#rest.subarray(0, next);
        this.#rest = this.#rest.subarray(next + this.#boundary.length + 2);
        // The two bytes before a boundary belong to it.
        if (part.length > 0) this.pictures.push(part.subarray(part.indexOf(head) + head.length, -2));
      }
      if (this.pictures.length >= count) break;
      const { done, value } = await this.#reader.read();
      if (value) this.#rest = Buffer.concat([this.#rest, value]);
      else this.isWhole = done;
    }
    assert.ok(this.pictures.length >= count, `${this.pictures.length} of ${count} pictures came`);
    return this.pictures.at(-1)!;
  }
  /** The last one, once it has ended; nothing begins after it. */
  async last(): Promise<Buffer> {
    await this.until(Infinity).catch(() => undefined);
    assert.equal(this.#rest.toString(), '--\r\n');
    return this.pictures.at(-1)!;
  }
  leave = () => this.#reader.cancel();
}

/** A browser without scripts: it keeps cookies, follows addresses, and comes again when the page says so. */
export class PlainBrowser {
  cookie = '';
  constructor(readonly url: string) {}

  async get(path: string, headers: Record<string, string> = {}): Promise<Response> {
    const answer = await fetch(`${this.url}${path}`, { headers: { Cookie: this.cookie, ...headers } });
    for (const one of answer.headers.getSetCookie()) {
      const [pair] = one.split(';');
      assert.match(one, /HttpOnly/i);
      if (!pair!.endsWith('=')) assert.match(one, /SameSite=Strict/i);
      assert.match(one, /Path=\/screen\/picture/i);
      this.cookie = pair!.endsWith('=') ? '' : pair!;
    }
    return answer;
  }
  /** A page that stays open. */
  async open(words = '', headers: Record<string, string> = {}): Promise<ActiveAccessPage> {
    const page = new ActiveAccessPage(await this.get(`${at}${words}`, headers));
    await page.until(/class="since|class="square"|<\/html>/);
    return page;
  }
  /** What is on it at first. */
  async page(words = ''): Promise<string> {
    const page = await this.open(words);
    await page.leave();
    return page.text;
  }
  picture = async (words = '', headers: Record<string, string> = {}) => this.get(`${at}/now${words}`, headers);
}

/** The code that a page shows, if it shows one. */
export const codeIn = (page: string) => /class="code">([^<]+)</.exec(page)?.[1];
