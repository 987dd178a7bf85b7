import { Op } from 'sequelize';
import { one, rows, type App } from '../platform/index.ts';
import { followedFiles, type FollowedRow } from './models.ts';

export const findFollowed = (app: App, name: string): Promise<FollowedRow | undefined> =>
  one(followedFiles(app).findByPk(name));

export const listFollowed = (app: App): Promise<FollowedRow[]> => rows(followedFiles(app), { order: ['name'] });

export const dueFollowed = (app: App): Promise<FollowedRow[]> =>
  rows(followedFiles(app), { where: { nextAt: { [Op.lte]: new Date(app.now()) } }, order: ['nextAt'], limit: 100 });

export const findByHook = (app: App, hookFingerprint: string): Promise<FollowedRow | undefined> =>
  one(followedFiles(app).findOne({ where: { hookFingerprint } }));

/**
 * Writes down what became of a file.
 *
 * @param of - its name; with its address and owner, nothing is written once it was saved as another one
 */
export async function changeFollowed(
  app: App,
  { name, address, ownerId }: Pick<FollowedRow, 'name'> & Partial<FollowedRow>,
  change: Partial<FollowedRow>,
): Promise<void> {
  const same = { ...(address === undefined ? {} : { address }), ...(ownerId === undefined ? {} : { ownerId }) };
  await followedFiles(app).update(change, { where: { name, ...same } });
}

/** Lets others look at a file again. */
export async function releaseFollowed(app: App, name: string): Promise<void> {
  await followedFiles(app).update({ checkingUntil: null }, { where: { name } });
}

/** Moves a due file on to its next time. @returns whether it was this process that did */
export async function moveOn(app: App, { name }: FollowedRow, next: Date | null): Promise<boolean> {
  // Whoever comes second finds that it is not due any more.
  const where = { name, nextAt: { [Op.lte]: new Date(app.now()) } };
  const [count] = await followedFiles(app).update({ nextAt: next }, { where });
  return count > 0;
}

/** Nobody looks at a file for longer than this. */
const longestMs = 30 * 60_000;

/** Gives a file that nobody looks at another name. @returns whether it was free */
export async function renameFree(app: App, name: string, to: string): Promise<boolean> {
  const free = { [Op.or]: [null, { [Op.lt]: new Date(app.now()) }] };
  const [count] = await followedFiles(app).update({ name: to }, { where: { name, checkingUntil: free } });
  return count > 0;
}

/** Takes a file, so that nobody else looks at it meanwhile. @returns whether it was free */
export async function claimSyncedFile(app: App, name: string): Promise<boolean> {
  const now = new Date(app.now());
  const [count] = await followedFiles(app).update(
    { checkingUntil: new Date(now.getTime() + longestMs) },
    { where: { name, checkingUntil: { [Op.or]: [null, { [Op.lt]: now }] } } },
  );
  return count > 0;
}
