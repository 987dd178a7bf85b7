import { createReadStream, type Stats } from 'node:fs';
import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { LRUCache } from 'lru-cache';
import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { requireRight, rightOn } from '../access/index.ts';
import {
  findDelivery,
  findLink,
  listDeliveries,
  noteFetched,
  recall,
  type DeliveryRow,
  type MadeFile,
} from '../deliver/index.ts';
import { describeFile, mediaTypeOf, runFolder } from '../copies/index.ts';
import { remember, type App } from '../platform/index.ts';
import type { RunRow } from './models.ts';
import { findRun } from './store.ts';

export interface FetchedFile {
  readonly name: string;
  readonly type: string;
  readonly size: number;
  readonly open: () => Readable;
}

/** Hashes of files by path, length and time of change: a large file is read once, not with every fetch. */
const hashes = new LRUCache<string, Promise<string>>({ max: 2_000 });

function hashOf(path: string, { size, mtimeMs }: Stats): Promise<string> {
  const key = `${path} ${size} ${mtimeMs}`;
  const known = hashes.get(key);
  if (known) return known;
  const hashing = describeFile(path).then((mark) => mark.sha256);
  hashes.set(key, hashing);
  hashing.catch(() => hashes.delete(key));
  return hashing;
}

/** A file as it was made for its copy: what lies under its name by now, but is another, is nobody's to fetch. */
async function fileOf(app: App, run: RunRow, file: MadeFile): Promise<FetchedFile> {
  const path = join(runFolder(app.settings.workDir, run.id), file.name);
  const found = await stat(path).catch(() => undefined);
  if (!found?.isFile()) throw new Refusal('LINK_GONE', 'The file is no longer available.');
  if (file.sha256 === undefined || (await hashOf(path, found)) !== file.sha256)
    throw new Refusal('LINK_GONE', 'The file is not the one of this link.');
  return {
    name: file.name,
    type: mediaTypeOf(file.format, run.definition),
    size: found.size,
    open: () => createReadStream(path),
  };
}

const unknown = () => new Refusal('NOT_FOUND', 'Link not found.', { hint: 'Check that you copied the whole link.' });

/** Whoever the copy is for, its sender, and whoever may change the burst. */
async function mayFetch(app: App, person: PersonViewer, delivery: DeliveryRow, run: RunRow): Promise<boolean> {
  if (person.email === delivery.address.toLowerCase() || person.id === run.senderId) return true;
  return isAtLeast(await rightOn(app, person, 'burst', run.burstName), 'edit');
}

/**
 * The file behind a link.
 *
 * @throws {Refusal} `NOT_FOUND` for a link that was never made, `LINK_GONE` for one that has run out or was recalled,
 *   `SIGN_IN_NEEDED`, `NOT_ALLOWED`
 */
export async function fetchByLink(app: App, key: string, person: PersonViewer | undefined): Promise<FetchedFile> {
  const link = await findLink(app, key);
  const delivery = link && (await findDelivery(app, link.deliveryId));
  const run = delivery && (await findRun(app, delivery.runId));
  const file = link && delivery?.files[link.position];
  if (!link || !run || !file) throw unknown();
  if (link.needsSignIn) {
    if (!person) throw new Refusal('SIGN_IN_NEEDED', 'Sign in to download this file.');
    if (!(await mayFetch(app, person, delivery, run)))
      throw new Refusal('NOT_ALLOWED', 'This file is for another user.', {
        hint: `It was sent to another email than ${person.email}.`,
      });
  }
  if (link.recalledAt) throw new Refusal('LINK_GONE', 'The sender revoked this link.');
  if (link.expiresAt.getTime() <= app.now())
    throw new Refusal('LINK_GONE', `This link expired on ${link.expiresAt.toISOString().slice(0, 10)}.`);
  const found = await fileOf(app, run, file);
  await noteFetched(app, link);
  return found;
}

/** A kept file, for whoever may change the burst. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`, `LINK_GONE` */
export async function fetchKept(
  app: App,
  person: PersonViewer,
  run: RunRow,
  wish: { recipient: string; file: string },
): Promise<FetchedFile> {
  await requireRight(app, person, 'edit', 'burst', run.burstName);
  const delivery = (await listDeliveries(app, run.id)).find((one) => one.recipient === wish.recipient);
  const file = delivery?.files.find((one) => one.name === wish.file);
  if (!file) throw new Refusal('NOT_FOUND', `Run ${run.id} has no such file.`, { word: wish.file });
  return fileOf(app, run, file);
}

/** Takes links back; who holds one reads that it was recalled. @returns how many */
export async function recallLinks(
  app: App,
  person: PersonViewer,
  run: RunRow,
  wish: { recipient?: string; origin: string },
): Promise<number> {
  await requireRight(app, person, 'edit', 'burst', run.burstName);
  const { recipient } = wish;
  return app.records.transaction(async () => {
    const theirs = async (wanted: string) =>
      (await listDeliveries(app, run.id)).filter((one) => one.recipient === wanted).map((one) => one.id);
    const recalled = await recall(app, run.id, recipient === undefined ? undefined : await theirs(recipient));
    await remember(app, {
      who: person.email,
      what: `run ${run.id}: ${recalled} links revoked${recipient ? ` from ${recipient}` : ''}`,
      thing: `burst ${run.burstName}`,
      origin: wish.origin,
    });
    return recalled;
  });
}
