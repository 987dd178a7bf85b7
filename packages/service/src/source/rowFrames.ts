import type pg from 'pg';

/** Receives one row of a COPY; the bytes are overwritten afterwards. */
export type TakeRow = (data: Buffer, start: number, end: number) => void;

const copyData = 0x64;
/** Messages that may stand among the rows and say nothing about them: its beginning, notices, settings, notifications. */
const asides: ReadonlySet<number> = new Set([0x48, 0x4e, 0x53, 0x41]);
/** Kind and length. */
const headBytes = 5;

/**
 * Takes apart what a server sends during a COPY. Each of its messages is one row, whatever line feeds stand in it, so that
 * nothing has to be looked for.
 *
 * @see PostgreSQL, Frontend/Backend Protocol: "CopyData: messages sent from the backend will always correspond to single data rows"
 */
export class RowFrames {
  #room: Buffer;
  #length = 0;
  readonly #take: TakeRow;

  /** @param room - what is read comes into it first; one that a row is too large for is replaced by a larger one */
  constructor(room: Buffer, take: TakeRow) {
    this.#room = room;
    this.#take = take;
  }

  /** @returns the rest from the message that ends the rows on; nothing while there may be more */
  push(chunk: Buffer): Buffer | undefined {
    const needed = this.#length + chunk.length;
    if (needed > this.#room.length) {
      const larger = Buffer.allocUnsafe(needed * 2);
      larger.set(this.#room.subarray(0, this.#length));
      this.#room = larger;
    }
    this.#room.set(chunk, this.#length);
    this.#length = needed;
    const room = this.#room;
    let at = 0;
    while (at + headBytes <= needed) {
      const kind = room[at]!;
      const end = at + 1 + room.readUInt32BE(at + 1);
      const isRow = kind === copyData;
      if (!isRow && !asides.has(kind)) return Buffer.from(room.subarray(at, needed));
      if (end > needed) break;
      if (isRow) this.#take(room, at + headBytes, end);
      at = end;
    }
    if (at > 0) room.copyWithin(0, at, needed);
    this.#length -= at;
    return undefined;
  }
}

/** What a client of the driver gives to a query of our own. */
interface Connection {
  readonly stream: NodeJS.ReadableStream;
  query(text: string): void;
}

export interface RowReading {
  readonly room: Buffer;
  readonly take: TakeRow;
  /** Called after each piece that came. */
  readonly onPiece: () => void;
}

/**
 * Runs `COPY … TO STDOUT` and hands over each row as bytes.
 *
 * @throws whatever the server says, or `take` and `onPiece` throw; the connection is of no use then
 */
export function readRowFrames(client: pg.ClientBase, sql: string, { room, take, onPiece }: RowReading): Promise<void> {
  return new Promise((resolve, reject) => {
    const frames = new RowFrames(room, take);
    const query = {
      text: sql,
      submit(connection: Connection) {
        const { stream } = connection;
        const [usual, ...others] = stream.listeners('data') as ((chunk: Buffer) => void)[];
        if (usual === undefined || others.length > 0)
          return new TypeError('the driver does not read its connection as expected');
        const read = (chunk: Buffer) => {
          try {
            const rest = frames.push(chunk);
            onPiece();
            if (rest === undefined) return;
            stream.off('data', read);
            stream.on('data', usual);
            usual(rest);
          } catch (error) {
            // Nobody reads on; whoever holds the connection closes it.
            stream.off('data', read);
            stream.pause();
            reject(error as Error);
          }
        };
        stream.off('data', usual);
        stream.on('data', read);
        connection.query(query.text);
        return undefined;
      },
      handleError: reject,
      handleCommandComplete: () => undefined,
      handleReadyForQuery: () => resolve(),
    };
    client.query(query as never);
  });
}
