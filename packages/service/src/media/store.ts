import { all, one, rows, type App } from '../platform/index.ts';
import { media, mediaVersions, type MediaRow, type VersionRow } from './models.ts';

export const listMedia = (app: App): Promise<MediaRow[]> => rows(media(app), { order: ['name'] });
export const findMedia = (app: App, name: string): Promise<MediaRow | undefined> => one(media(app).findByPk(name));

/** Newest first. */
export const listVersions = (app: App, mediaName?: string): Promise<VersionRow[]> =>
  rows(mediaVersions(app), {
    ...(mediaName === undefined ? {} : { where: { mediaName } }),
    order: ['mediaName', ['number', 'DESC']],
  });

/** One version, or the newest. */
export const findVersion = (app: App, mediaName: string, number?: number): Promise<VersionRow | undefined> =>
  one(
    mediaVersions(app).findOne({
      where: { mediaName, ...(number === undefined ? {} : { number }) },
      order: [['number', 'DESC']],
    }),
  );

/** Whether some version is this file. */
export const isNamed = async (app: App, hash: string): Promise<boolean> =>
  (await mediaVersions(app).count({ where: { hash } })) > 0;

/** The hashes of everything that is kept. */
export const keptHashes = async (app: App): Promise<Set<string>> =>
  new Set((await all(mediaVersions(app).findAll({ attributes: ['hash'] }))).map((row) => row.hash as string));
