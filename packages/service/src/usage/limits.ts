import { isAtLeast, type PersonViewer } from '@underbell/core/access';
import {
  costState,
  usageText,
  startOfCounting,
  type CostLimit,
  type CountedCosts,
  type ShownCostLimit,
} from '@underbell/core/usage';
import { Refusal } from '@underbell/core/refusal';
import { foldersOf, listFolders, notFound, ownersOf, requireRight, rightOn, visibleNames } from '../access/index.ts';
import { all, enqueue, remember, type App } from '../platform/index.ts';
import { secondsUsed } from './sums.sql.ts';
import { costLimits, type LimitRow } from './models.ts';

const toLimit = ({ folderName, per, warnSeconds, stopSeconds }: LimitRow): CostLimit => ({
  folder: folderName,
  per,
  ...(warnSeconds === null ? {} : { warnSeconds }),
  ...(stopSeconds === null ? {} : { stopSeconds }),
});

/** What a folder's reports and datasets, and those of the folders in it, have taken since a day began. */
async function usedSince(app: App, folder: string, day: string): Promise<number> {
  const inside = async (kind: 'report' | 'dataset') =>
    [...(await foldersOf(app, kind))].filter(([, path]) => path.includes(folder)).map(([name]) => name);
  const [reports, datasets] = await Promise.all([inside('report'), inside('dataset')]);
  return secondsUsed(app, day, { reports, datasets });
}

async function count(app: App, limit: CostLimit): Promise<CountedCosts> {
  const day = startOfCounting(limit.per, app.now(), app.settings.timeZone);
  return { ...limit, usedSeconds: await usedSince(app, limit.folder, day) };
}

async function readLimits(app: App): Promise<LimitRow[]> {
  return all(costLimits(app).findAll({ order: ['folderName'] }));
}

/** The limits that hold for a report or dataset: those of the folder that it lies in, and of the folders around that. */
export async function costsAround(
  app: App,
  thing: { kind: 'report' | 'dataset'; name: string },
): Promise<CountedCosts[]> {
  const rows = await readLimits(app);
  if (rows.length === 0) return [];
  const path = (await foldersOf(app, thing.kind)).get(thing.name) ?? [];
  const around = rows.filter((one) => path.includes(one.folderName));
  return Promise.all(around.map((one) => count(app, toLimit(one))));
}

/** Keeps planned work from starting where its folder has used up what it may. @throws {Refusal} `USAGE_LIMIT` */
export async function requireBudget(app: App, thing: { kind: 'report' | 'dataset'; name: string }): Promise<void> {
  const spent = (await costsAround(app, thing)).find((one) => costState(one) === 'stopped');
  if (!spent) return;
  throw new Refusal(
    'USAGE_LIMIT',
    `Folder “${spent.folder}” has reached its usage limit: ${usageText(spent)}. Scheduled work does not start.`,
    {
      word: spent.folder,
      hint: `It starts again ${spent.per === 'day' ? 'tomorrow' : 'next month'}, or an owner raises the limit: underbell usage limit ${spent.folder}`,
    },
  );
}

async function isOwner(app: App, person: PersonViewer, folder: string): Promise<boolean> {
  return person.isAdministrator || isAtLeast(await rightOn(app, person, 'folder', folder), 'own');
}

/** The limits of a folder are seen and set by its owners and by administrators. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
async function requireOwner(app: App, person: PersonViewer, folder: string): Promise<void> {
  await requireRight(app, person, 'own', 'folder', folder);
  const known = (await listFolders(app)).map((one) => one.name);
  if (!known.includes(folder)) throw notFound('folder', folder, await visibleNames(app, person, 'folder', known));
}

const shown = (one: CountedCosts): ShownCostLimit => ({ ...one, state: costState(one), words: usageText(one) });

/** The limits that somebody may see, with what is used. */
export async function showLimits(app: App, person: PersonViewer) {
  const found = [];
  for (const row of await readLimits(app)) {
    if (await isOwner(app, person, row.folderName)) found.push(shown(await count(app, toLimit(row))));
  }
  return found;
}

/** Sets or replaces a folder's limit. */
export async function saveLimit(app: App, person: PersonViewer, limit: CostLimit, origin: string) {
  const { folder, per, warnSeconds = null, stopSeconds = null } = limit;
  await requireOwner(app, person, folder);
  await app.records.transaction(async () => {
    const row = { folderName: folder, per, warnSeconds, stopSeconds, warnedFor: null };
    await costLimits(app).upsert(row);
    const what = `limit of costs: ${stopSeconds ?? warnSeconds} s a ${per}`;
    await note(app, person, folder, what, origin);
  });
  return shown(await count(app, limit));
}

/** Takes a folder's limit away. @throws {Refusal} `NOT_FOUND` */
export async function dropLimit(app: App, person: PersonViewer, folder: string, origin: string): Promise<void> {
  await requireOwner(app, person, folder);
  await app.records.transaction(async () => {
    const gone = await costLimits(app).destroy({ where: { folderName: folder } });
    if (gone === 0) throw notFound('limit of costs', folder, []);
    await note(app, person, folder, 'limit of costs taken away', origin);
  });
}

function note(app: App, person: PersonViewer, folder: string, what: string, origin: string): Promise<void> {
  return remember(app, { who: person.email, what, thing: `folder ${folder}`, origin });
}

/** Tells the owners of every folder that came near its limit, once a day or month. */
export async function warnOfCosts(app: App): Promise<void> {
  for (const row of await readLimits(app)) {
    const limit = toLimit(row);
    const day = startOfCounting(limit.per, app.now(), app.settings.timeZone);
    if (row.warnedFor === day) continue;
    const counted = await count(app, limit);
    if (costState(counted) === 'fine') continue;
    const owners = await ownersOf(app, 'folder', limit.folder);
    await app.records.transaction(async () => {
      const [taken] = await costLimits(app).update(
        { warnedFor: day },
        { where: { folderName: limit.folder, warnedFor: row.warnedFor } },
      );
      if (taken > 0) for (const { email } of owners) await enqueue(app, 'notice.mail', letter(app, counted, email));
    });
  }
}

function letter(app: App, counted: CountedCosts, to: string) {
  const { folder, stopSeconds } = counted;
  const isStopped = costState(counted) === 'stopped';
  const what = isStopped
    ? 'Its bursts and refreshes wait until then, or until the limit is raised; readers go on looking.'
    : stopSeconds === undefined
      ? 'Nothing is stopped.'
      : `At ${stopSeconds} s its bursts and refreshes stop.`;
  return {
    to,
    subject: `Usage limit ${isStopped ? 'reached' : 'near'}: folder ${folder}${isStopped ? ' (blocked)' : ''}`,
    text: `The folder “${folder}” has ${usageText(counted)}. It is counted anew ${counted.per === 'day' ? 'tomorrow' : 'next month'}. ${what}\n\nWhat it was used for: ${app.settings.publicUrl}/console/usage\n`,
  };
}
