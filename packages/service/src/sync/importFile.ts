import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { isDeepStrictEqual } from 'node:util';
import type { PersonViewer } from '@underbell/core/access';
import { isBundledAs, type BundledKind } from '@underbell/core/access/resources';
import type { FollowedKind } from '@underbell/core/sync';
import { Refusal } from '@underbell/core/refusal';
import { findBoard, saveBoard } from '../board/index.ts';
import { nameNow, type App } from '../platform/index.ts';
import { loadUpload } from '../refresh/index.ts';
import { currentDefinitions, publishReport } from '../report/index.ts';
import type { FetchedFile } from './fetchFile.ts';
import type { FollowedRow } from './models.ts';

/** Definitions are no longer than those that people hand in. */
const maxDefinition = 4 * 1024 * 1024;
const origin = 'followed file';

/** What came of a file. */
export interface TakenOver {
  readonly thingName: string;
  readonly digest: string;
  /** False where it says what is here already. */
  readonly isNew: boolean;
}

async function textOf(body: Readable): Promise<string> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of body as AsyncIterable<Uint8Array>) {
    size += part.length;
    if (size > maxDefinition)
      throw new Refusal('INPUT_TOO_LARGE', `A definition has at most ${maxDefinition / 1024 / 1024} MB.`);
    parts.push(Buffer.from(part));
  }
  return Buffer.concat(parts).toString('utf8');
}

type DefinedKind = FollowedKind & BundledKind<'definition'>;

function readJson(text: string, kind: DefinedKind): Record<string, unknown> {
  const code = kind === 'report' ? 'REPORT_INVALID' : 'BOARD_INVALID';
  try {
    const value: unknown = JSON.parse(text);
    if (typeof value === 'object' && value !== null && !Array.isArray(value)) return value as Record<string, unknown>;
  } catch (cause) {
    throw new Refusal(code, `The file is not valid JSON: ${(cause as Error).message}.`, {}, { cause });
  }
  throw new Refusal(code, `The file is not a definition of a ${kind}.`);
}

const digestOf = (text: string) => createHash('sha256').update(text).digest('hex');

async function takeDefinition(
  app: App,
  person: PersonViewer,
  { kind, thingName, address }: FollowedRow & { readonly kind: DefinedKind },
  body: Readable,
): Promise<TakenOver> {
  const text = await textOf(body);
  const { $schema: _, ...written } = readJson(text, kind);
  const saidName = String(written['name'] ?? '');
  // The file may still say the name that the thing had.
  const now = thingName === null || saidName === thingName ? undefined : await nameNow(app, { kind, name: saidName });
  const named = now === thingName && now !== undefined ? now : saidName;
  const definition = { ...written, name: named };
  // Whoever writes the file decides about one thing, not about every other that its owner may change.
  if (thingName !== null && named !== thingName)
    throw new Refusal(
      kind === 'report' ? 'REPORT_INVALID' : 'BOARD_INVALID',
      `The file is now for “${named}”, before it was for “${thingName}”.`,
      {
        pointer: '/name',
        hint: 'Sync it under another name.',
      },
    );
  const digest = digestOf(text);
  const current =
    kind === 'report'
      ? (await currentDefinitions(app)).find((one) => one.name === named)
      : (await findBoard(app, named))?.definition;
  if (current !== undefined && isDeepStrictEqual(JSON.parse(JSON.stringify(current)), definition))
    return { thingName: named, digest, isNew: false };
  if (kind === 'report') {
    const notes = `From ${new URL(address).host}`;
    await publishReport(app, person, definition, { notes, isConfirmed: false, origin });
  } else await saveBoard(app, person, definition, { origin });
  return { thingName: named, digest, isNew: true };
}

/** Passes bytes on and adds up their digest. */
async function* digesting(body: Readable, hash: ReturnType<typeof createHash>): AsyncGenerator<Uint8Array> {
  for await (const part of body as AsyncIterable<Uint8Array>) {
    hash.update(part);
    yield part;
  }
}

async function takeRows(app: App, person: PersonViewer, row: FollowedRow, body: Readable): Promise<TakenOver> {
  const hash = createHash('sha256');
  const name = row.thingName!;
  const fileName = decodeURIComponent(new URL(row.address).pathname.split('/').at(-1) || 'file.csv').slice(0, 200);
  await loadUpload(app, person, Readable.from(digesting(body, hash)), {
    name,
    fileName,
    columns: [],
    badCells: 'refuse',
    said: {},
    isForced: false,
    origin,
  });
  return { thingName: name, digest: hash.digest('hex'), isNew: true };
}

/**
 * Makes the next edition or revision of a file that was fetched, after the checks of every other one, with the rights of who
 * follows it.
 *
 * @throws {Refusal} whatever is wrong with it; what was there before stays
 */
export function importFile(
  app: App,
  person: PersonViewer,
  row: FollowedRow,
  { body }: FetchedFile,
): Promise<TakenOver> {
  const { kind } = row;
  return isBundledAs(kind, 'definition')
    ? takeDefinition(app, person, { ...row, kind }, body)
    : takeRows(app, person, row, body);
}
