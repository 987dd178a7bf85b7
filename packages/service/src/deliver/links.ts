import { col, fn, Op } from 'sequelize';
import { all, isSameSecret, one, type App } from '../platform/index.ts';
import { copyLinks, type CopyLinkRow, type DeliveryRow } from './models.ts';

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
  const rows = files.map(([position]) => ({
    deliveryId: delivery.id,
    position,
    runId: delivery.runId,
    needsSignIn: keeping.signIn,
    expiresAt: keeping.until,
  }));
  await copyLinks(app).bulkCreate(rows, { ignoreDuplicates: true });
  return files.map(([position, file]) => `${file.name}: ${addressOf(app, delivery.id, position)}`);
}

/** The link that a key leads to; nothing for one that was never made. */
export async function findLink(app: App, key: string): Promise<CopyLinkRow | undefined> {
  const [, id, position, signature] = /^(\d{1,9})\.(\d{1,3})\.([\w-]{43})$/.exec(key) ?? [];
  if (!signature || !isSameSecret(signature, app.vault.sign(`${id}.${position}`, purpose))) return undefined;
  return one(copyLinks(app).findOne({ where: { deliveryId: Number(id), position: Number(position) } }));
}

/** The links of some copies that still hold, by number of the copy and place of the file. */
export async function linksTo(app: App, copies: readonly number[]): Promise<ReadonlyMap<string, string>> {
  const where = {
    deliveryId: { [Op.in]: [...copies] },
    recalledAt: null,
    expiresAt: { [Op.gt]: new Date(app.now()) },
  };
  const found = await all(copyLinks(app).findAll({ where }));
  return new Map(
    found.map(({ deliveryId, position }) => [`${deliveryId}.${position}`, addressOf(app, deliveryId, position)]),
  );
}

export async function noteFetched(app: App, { deliveryId, position }: CopyLinkRow): Promise<void> {
  const where = { deliveryId, position };
  await copyLinks(app).increment('fetched', { where });
  await copyLinks(app).update({ fetchedAt: new Date(app.now()) }, { where });
}

/** Takes the links of a run's copies back, or of some of them. @returns how many */
export async function recall(app: App, run: number, deliveries?: readonly number[]): Promise<number> {
  const which = deliveries === undefined ? {} : { deliveryId: { [Op.in]: [...deliveries] } };
  const where = { runId: run, recalledAt: null, ...which };
  const [recalled] = await copyLinks(app).update({ recalledAt: new Date(app.now()) }, { where });
  return recalled;
}

/** How often the files of each copy were fetched, and whether they still can be. */
export async function linksOf(
  app: App,
  run: number,
): Promise<Map<number, { fetched: number; isRecalled: boolean; expiresAt: Date }>> {
  const asked = await copyLinks(app).findAll({
    where: { runId: run },
    attributes: [
      'deliveryId',
      [fn('sum', col('fetched')), 'times'],
      [fn('count', col('recalled_at')), 'recalled'],
      [fn('count', col('position')), 'all'],
      [fn('max', col('expires_at')), 'until'],
    ],
    group: ['deliveryId'],
    raw: true,
  });
  const rows = asked as unknown as { deliveryId: number; times: string; recalled: string; all: string; until: Date }[];
  return new Map(
    rows.map((row) => [
      row.deliveryId,
      { fetched: Number(row.times), isRecalled: row.recalled === row.all, expiresAt: row.until },
    ]),
  );
}

/** Links that still hold, by run: how many, when one was last fetched, until when the last of them holds. */
export async function livingLinks(
  app: App,
): Promise<ReadonlyMap<number, { count: number; fetchedAt: Date | null; expiresAt: Date; needsSignIn: boolean }>> {
  const living = { recalledAt: null, expiresAt: { [Op.gt]: new Date(app.now()) } };
  const asked = await copyLinks(app).findAll({
    where: living,
    attributes: [
      'runId',
      'needsSignIn',
      [fn('count', col('position')), 'count'],
      [fn('max', col('fetched_at')), 'lastAt'],
      [fn('max', col('expires_at')), 'until'],
    ],
    group: ['runId', 'needsSignIn'],
    raw: true,
  });
  const rows = asked as unknown as {
    runId: number;
    needsSignIn: boolean;
    count: string;
    lastAt: Date | null;
    until: Date;
  }[];
  return new Map(
    rows.map((row) => [
      row.runId,
      { count: Number(row.count), fetchedAt: row.lastAt, expiresAt: row.until, needsSignIn: row.needsSignIn },
    ]),
  );
}
