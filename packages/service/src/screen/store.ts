import { Op } from 'sequelize';
import { all, highest, one, rows, type App } from '../platform/index.ts';
import {
  playlistRevisions,
  playlists,
  playlistTargets,
  screenAttributes,
  screenGroups,
  screenHistory,
  screenInterruptions,
  screenKeys,
  screenPictures,
  screens,
  screenStates,
  type AttributeRow,
  type GroupRow,
  type HistoryRow,
  type InterruptionRow,
  type KeyRow,
  type PlaylistRow,
  type RevisionRow,
  type ScreenRow,
  type StateRow,
  type TargetKind,
  type TargetRow,
} from './models.ts';

export const listAttributes = (app: App): Promise<AttributeRow[]> => rows(screenAttributes(app), { order: ['name'] });
export const listGroups = (app: App): Promise<GroupRow[]> => rows(screenGroups(app), { order: ['name'] });
export const findGroup = (app: App, name: string): Promise<GroupRow | undefined> =>
  one(screenGroups(app).findByPk(name));

export const listScreens = (app: App, groups?: readonly string[]): Promise<ScreenRow[]> =>
  rows(screens(app), { order: ['name'], ...(groups ? { where: { groupName: [...groups] } } : {}) });
export const findScreen = (app: App, name: string): Promise<ScreenRow | undefined> => one(screens(app).findByPk(name));
export const countScreens = (app: App, groupName: string): Promise<number> =>
  screens(app).count({ where: { groupName } });

/** The screen whose key this is, by the number of its pairing. */
export async function screenOfKey(
  app: App,
  keyId: string,
): Promise<{ readonly screen: ScreenRow; readonly key: KeyRow } | undefined> {
  const key = await one(screenKeys(app).findOne({ where: { keyId } }));
  const screen = key && (await findScreen(app, key.screenName));
  return screen ? { screen, key: key! } : undefined;
}

export const listPlaylists = (app: App): Promise<PlaylistRow[]> => rows(playlists(app), { order: ['name'] });
export const findPlaylist = (app: App, name: string): Promise<PlaylistRow | undefined> =>
  one(playlists(app).findByPk(name));
/** Newest first. */
export const listRevisions = (app: App, playlistName: string): Promise<RevisionRow[]> =>
  rows(playlistRevisions(app), { where: { playlistName }, order: [['number', 'DESC']] });
export const findRevision = (app: App, playlistName: string, number: number): Promise<RevisionRow | undefined> =>
  one(playlistRevisions(app).findOne({ where: { playlistName, number } }));
export const newestRevision = (app: App, playlistName: string): Promise<number> =>
  highest(playlistRevisions(app), 'number', { playlistName });

export const targetsOf = (app: App, playlistName: string): Promise<TargetRow[]> =>
  rows(playlistTargets(app), { where: { playlistName }, order: ['targetKind', 'targetName'] });
export const listTargets = (app: App): Promise<TargetRow[]> => rows(playlistTargets(app), { order: ['playlistName'] });

/** What was published to a screen or its group, its own first, then what was published last. */
export async function targetsFor(
  app: App,
  { name, groupName }: Pick<ScreenRow, 'name' | 'groupName'>,
): Promise<TargetRow[]> {
  const found = await all(
    playlistTargets(app).findAll({
      where: {
        [Op.or]: [
          { targetKind: 'screen', targetName: name },
          { targetKind: 'screen-group', targetName: groupName },
        ],
      } as never,
    }),
  );
  return inOrder(found);
}

/** Finds what was published to each screen or its group, in order, among all that was published. */
export function targetsAmong(
  all: readonly TargetRow[],
): (screen: Pick<ScreenRow, 'name' | 'groupName'>) => TargetRow[] {
  const by = new Map<string, TargetRow[]>();
  for (const one of all) {
    const key = `${one.targetKind} ${one.targetName}`;
    const known = by.get(key);
    if (known) known.push(one);
    else by.set(key, [one]);
  }
  return ({ name, groupName }) =>
    inOrder([...(by.get(`screen ${name}`) ?? []), ...(by.get(`screen-group ${groupName}`) ?? [])]);
}

/** What goes before the others: what is a screen's own, then what was published last; each playlist once. */
function inOrder(targets: readonly TargetRow[]): TargetRow[] {
  const own = (one: TargetRow) => (one.targetKind === 'screen' ? 0 : 1);
  const sorted = targets.toSorted(
    (a, b) =>
      own(a) - own(b) ||
      b.publishedAt.getTime() - a.publishedAt.getTime() ||
      (a.playlistName < b.playlistName ? -1 : 1),
  );
  return sorted.filter((one, i) => sorted.findIndex((other) => other.playlistName === one.playlistName) === i);
}

export const putTarget = async (app: App, row: TargetRow): Promise<void> =>
  void (await playlistTargets(app).upsert(row));
export const removeTarget = (app: App, where: { playlistName?: string; targetKind: TargetKind; targetName: string }) =>
  playlistTargets(app).destroy({ where });

/** Interruptions that hold at an instant or will. */
export const livingInterruptions = (app: App, groupName?: string): Promise<InterruptionRow[]> =>
  rows(screenInterruptions(app), {
    where: { endedAt: null, until: { [Op.gt]: new Date(app.now()) }, ...(groupName ? { groupName } : {}) } as never,
    order: [['id', 'DESC']],
  });

export const listStates = (app: App): Promise<StateRow[]> => rows(screenStates(app), {});
export const findState = (app: App, name: string): Promise<StateRow | undefined> =>
  one(screenStates(app).findByPk(name));

const shownHistory = 100;
/** Newest first. */
export const historyOf = (app: App, screenName: string): Promise<HistoryRow[]> =>
  rows(screenHistory(app), { where: { screenName }, order: [['id', 'DESC']], limit: shownHistory });
export const noteHistory = async (app: App, screenName: string, what: string, detail = ''): Promise<void> =>
  void (await screenHistory(app).create({ screenName, at: new Date(app.now()), what, detail: detail.slice(0, 500) }));

/** When screens sent their last pictures, by name. */
export async function snapshotTimes(app: App, screenName?: string): Promise<Map<string, Date>> {
  const found = await rows(screenPictures(app), {
    attributes: ['screenName', 'takenAt'],
    ...(screenName === undefined ? {} : { where: { screenName } }),
  });
  return new Map(found.map((row) => [row.screenName, row.takenAt]));
}
