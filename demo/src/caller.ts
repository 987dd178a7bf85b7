const workbookType = 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet';

/** Calls the service's API like every other program. */
export class Caller {
  readonly #url: string;
  readonly #key: string;

  constructor(url: string, key: string) {
    this.#url = url;
    this.#key = key;
  }

  /** @param body - a table as text, a workbook as bytes, anything else as JSON */
  async call(method: string, path: string, body?: object | string | Buffer): Promise<unknown> {
    const isFile = typeof body === 'string' || Buffer.isBuffer(body);
    const type = typeof body === 'string' ? 'text/csv' : isFile ? workbookType : 'application/json';
    const answer = await fetch(`${this.#url}${path}`, {
      method,
      headers: { Authorization: `Bearer ${this.#key}`, 'Content-Type': type },
      ...(body === undefined ? {} : { body: isFile ? (body as BodyInit) : JSON.stringify(body) }),
    });
    const text = await answer.text();
    const said: unknown = text === '' ? null : JSON.parse(text);
    if (!answer.ok) throw new Error(`${method} ${path}: ${JSON.stringify(said)}`);
    return said;
  }
}
