import { createReadStream, type Stats } from 'node:fs';
import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { LRUCache } from 'lru-cache';
import { QueryTypes } from 'sequelize';
import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { requireRight, rightOn } from '../access/index.ts';
import { isSameSecret, remember, type App } from '../platform/index.ts';
import { describeFile, mediaTypeOf, runFolder } from '../make/index.ts';
import { findDelivery, listDeliveries, type DeliveryRow, type MadeFile } from './deliveryStore.ts';
import { findRun, type RunRow } from './store.ts';

const purpose = 'copy link';

/** The address under which a file is fetched: always the same for the same copy, and nobody else can make one. */
function addressOf(app: App, delivery: number, position: number): string {
  const name = `${delivery}.${position}`;
  return `${app.settings.publicUrl}/c/${name}.${app.vault.sign(name, purpose)}`;
}

/** Makes the links of a copy; made again, they are the same and hold as long. @returns a line for each file */
export async function makeLinks(
  app: App,
  delivery: DeliveryRow,
  keeping: { readonly until: Date; readonly signIn: boolean },
): Promise<string[]> {
  const files = [...delivery.files.entries()].filter(([, file]) => file.isInline !== true);
  for (const [position] of files)
    await app.records.query(
      `INSERT INTO copy_links (delivery_id, position, run_id, needs_sign_in, expires_at)
       VALUES ($id, $position, $run, $signIn, $until) ON CONFLICT DO NOTHING`,
      { bind: { id: delivery.id, position, run: delivery.runId, ...keeping } },
    );
  return files.map(([position, file]) => `${file.name}: ${addressOf(app, delivery.id, position)}`);
}

interface LinkRow {
  readonly needs_sign_in: boolean;
  readonly expires_at: Date;
  readonly recalled_at: Date | null;
}

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
  const path = join(runFolder(app.settings.spool, run.id), file.name);
  const found = await stat(path).catch(() => undefined);
  if (!found?.isFile()) throw new Refusal('LINK_GONE', 'the file is not kept any more');
  if (file.sha256 === undefined || (await hashOf(path, found)) !== file.sha256)
    throw new Refusal('LINK_GONE', 'the file is not the one that this link was made for');
  return {
    name: file.name,
    type: mediaTypeOf(file.format, run.definition),
    size: found.size,
    open: () => createReadStream(path),
  };
}

const unknown = () => new Refusal('NOT_FOUND', 'there is no such link', { hint: 'was it copied in full?' });

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
  const [, id, position, signature] = /^(\d{1,9})\.(\d{1,3})\.([\w-]{43})$/.exec(key) ?? [];
  if (!signature || !isSameSecret(signature, app.vault.sign(`${id}.${position}`, purpose))) throw unknown();
  const bind = { id: Number(id), position: Number(position) };
  const [link] = await app.records.query<LinkRow>(
    'SELECT needs_sign_in, expires_at, recalled_at FROM copy_links WHERE delivery_id = $id AND position = $position',
    { bind, type: QueryTypes.SELECT },
  );
  const delivery = link && (await findDelivery(app, bind.id));
  const run = delivery && (await findRun(app, delivery.runId));
  const file = delivery?.files[bind.position];
  if (!link || !run || !file) throw unknown();
  if (link.needs_sign_in) {
    if (!person) throw new Refusal('SIGN_IN_NEEDED', 'this file is for somebody who has signed in');
    if (!(await mayFetch(app, person, delivery, run)))
      throw new Refusal('NOT_ALLOWED', 'this file is for somebody else', {
        hint: `it was sent to another address than ${person.email}`,
      });
  }
  if (link.recalled_at) throw new Refusal('LINK_GONE', 'the sender has recalled this file');
  if (link.expires_at.getTime() <= app.now())
    throw new Refusal('LINK_GONE', `this link held until ${link.expires_at.toISOString().slice(0, 10)}`);
  const found = await fileOf(app, run, file);
  await app.records.query(
    'UPDATE copy_links SET fetched = fetched + 1, fetched_at = $now WHERE delivery_id = $id AND position = $position',
    { bind: { ...bind, now: new Date(app.now()) } },
  );
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
  if (!file) throw new Refusal('NOT_FOUND', `run ${run.id} made no such file`, { word: wish.file });
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
    const rows = await app.records.query(
      `UPDATE copy_links SET recalled_at = $now WHERE run_id = $run AND recalled_at IS NULL
         AND ($recipient::text IS NULL OR delivery_id IN (SELECT id FROM deliveries WHERE run_id = $run AND recipient = $recipient))
       RETURNING delivery_id`,
      {
        bind: { now: new Date(app.now()), run: run.id, recipient: recipient ?? null },
        type: QueryTypes.SELECT,
      },
    );
    await remember(app, {
      who: person.email,
      what: `run ${run.id}: ${rows.length} links recalled${recipient ? ` from ${recipient}` : ''}`,
      thing: `burst ${run.burstName}`,
      origin: wish.origin,
    });
    return rows.length;
  });
}

/** How often the files of each copy were fetched, and whether they still can be. */
export async function linksOf(
  app: App,
  run: number,
): Promise<Map<number, { fetched: number; isRecalled: boolean; expiresAt: Date }>> {
  const rows = await app.records.query<{ id: number; fetched: string; recalled: boolean; expires: Date }>(
    `SELECT delivery_id AS id, sum(fetched) AS fetched, bool_and(recalled_at IS NOT NULL) AS recalled, max(expires_at) AS expires
     FROM copy_links WHERE run_id = $run GROUP BY delivery_id`,
    { bind: { run }, type: QueryTypes.SELECT },
  );
  return new Map(
    rows.map((row) => [row.id, { fetched: Number(row.fetched), isRecalled: row.recalled, expiresAt: row.expires }]),
  );
}
