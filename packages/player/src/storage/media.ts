import type { MediaHandle } from '@underbell/core/screen';
import { store } from './store.ts';

/** One piece of a file: what came before the power went is not asked for again. */
export const pieceBytes = 1_048_576;
/** Of what a browser lets a page keep, so much is for pictures and videos; figures come first. */
const share = 0.6;
const mostBytes = 2_000_000_000;

const prefix = 'media ';
const pieceName = (hash: string, i: number) => `${prefix}${hash} ${i}`;
const pieces = ({ sizeBytes }: MediaHandle) => Math.max(1, Math.ceil(sizeBytes / pieceBytes));

/** Files that were found to be whole, and lie here as a whole. */
const found = new Set<string>();

/** Asks for a range of a file; the last byte is included. */
export type AskRange = (from: number, last: number) => Promise<ArrayBuffer>;

async function hashOf(blob: Blob): Promise<string> {
  const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', await blob.arrayBuffer()));
  return [...digest].map((one) => one.toString(16).padStart(2, '0')).join('');
}

/** Whether there is room for a file beside what is kept already. */
async function hasRoom(sizeBytes: number): Promise<boolean> {
  const { quota = 0, usage = 0 } = (await navigator.storage?.estimate?.()) ?? {};
  return usage + sizeBytes < Math.min(mostBytes, quota * share);
}

/**
 * A picture or video, whole: from what is kept, and the rest of it asked for piece by piece.
 *
 * @throws what asking throws; an error where what came is not what was published
 */
export async function wholeFile(media: MediaHandle, ask: AskRange): Promise<Blob> {
  const { hash, sizeBytes, type } = media;
  const parts: BlobPart[] = [];
  let mayKeep: boolean | undefined;
  let isKept = true;
  for (let i = 0; i < pieces(media); i++) {
    const name = pieceName(hash, i);
    let piece = await store.getBytes(name);
    if (!piece) {
      piece = await ask(i * pieceBytes, Math.min(sizeBytes, (i + 1) * pieceBytes) - 1);
      const isRoom = mayKeep ?? (await hasRoom(sizeBytes - i * pieceBytes));
      // Without room it is shown all the same, as long as there is a network.
      mayKeep = isRoom && (await store.putBytes(name, piece));
      if (!mayKeep) isKept = false;
    }
    parts.push(piece);
  }
  const blob = new Blob(parts, { type });
  if (blob.size === sizeBytes && (await hashOf(blob)) === hash) {
    if (isKept) found.add(hash);
    return blob;
  }
  await store.keepOnly(`${prefix}${hash} `, []);
  throw new Error('file checksum mismatch');
}

/** Fetches what is not kept yet of a file that is shown later. */
export async function keepFile(media: MediaHandle, ask: AskRange): Promise<void> {
  if (!found.has(media.hash)) await wholeFile(media, ask);
}

/** Forgets files that are shown no more. */
export async function keepOnlyFiles(all: readonly MediaHandle[]): Promise<void> {
  const wanted = new Set(all.map((one) => one.hash));
  for (const hash of found) if (!wanted.has(hash)) found.delete(hash);
  const names = all.flatMap((one) => Array.from({ length: pieces(one) }, (_, i) => pieceName(one.hash, i)));
  await store.keepOnly(prefix, names);
}
