import { stat, rm } from 'node:fs/promises';
import type { Readable } from 'node:stream';
import type { PersonViewer } from '@underbell/core/access';
import type { ListedMedia, MediaVersion, ShownMedia } from '@underbell/core/media';
import { Refusal } from '@underbell/core/refusal';
import { notFound, putOwner, requireAuthor, requireRight, rightsFor, visibleNames } from '../access/index.ts';
import { announce, holdName, receiveFile, refuseSpace, remember, userOf, type App } from '../platform/index.ts';
import { examine } from './examine.ts';
import { fileOf, hashOf, incomingFile, keepFile, lockFile, thumbnailOf } from './files.ts';
import { media, mediaVersions, type VersionRow } from './models.ts';
import { findMedia, findVersion, listMedia, listVersions } from './store.ts';

const resourceIdOf = (name: string) => ({ kind: 'media', name }) as const;

const shown = ({ mediaName: _, addedBy: by, addedAt: at, ...rest }: VersionRow): MediaVersion<Date> => ({
  ...rest,
  by,
  at,
});

/** The pictures and videos that somebody may see. */
export async function seenMedia(app: App, person: PersonViewer): Promise<ListedMedia<Date>[]> {
  const [all, versions] = await Promise.all([listMedia(app), listVersions(app)]);
  const names = await visibleNames(
    app,
    person,
    'media',
    all.map((one) => one.name),
  );
  const newest = new Map(versions.toReversed().map((one) => [one.mediaName, one]));
  return all
    .filter(({ name }) => names.includes(name))
    .map(({ name, title }) => ({ name, title, newest: shown(newest.get(name)!) }));
}

/** One of them, for whoever may see it. @throws {Refusal} `NOT_FOUND` */
export async function showMedia(app: App, person: PersonViewer, name: string): Promise<ShownMedia<Date>> {
  const { level: right } = await requireRight(app, person, 'view', 'media', name);
  const [row, versions, uses] = await Promise.all([
    findMedia(app, name),
    listVersions(app, name),
    app.things.dependentsOf(resourceIdOf(name)),
  ]);
  const [newest] = versions;
  if (!row || !newest) throw notFound('media', name, []);
  const decide = rightsFor(app, person);
  const usedBy = new Set<string>();
  for (const use of uses) {
    const { kind, name: by } = use.by;
    if (kind === 'run' || (await decide({ kind, name: by }))) usedBy.add(userOf(use));
  }
  return {
    name,
    title: row.title,
    newest: shown(newest),
    right,
    versions: versions.map(shown),
    usedBy: [...usedBy],
  };
}

/** A version that somebody may see. @throws {Refusal} `NOT_FOUND` */
export async function requireVersion(
  app: App,
  person: PersonViewer,
  name: string,
  number?: number,
): Promise<VersionRow> {
  await requireRight(app, person, 'view', 'media', name);
  const found = await findVersion(app, name, number);
  if (found) return found;
  if (number === undefined) throw notFound('media', name, []);
  const numbers = (await listVersions(app, name)).map((one) => String(one.number));
  throw notFound('version', String(number), numbers);
}

export interface NewMedia {
  readonly name: string;
  readonly title?: string;
  readonly fileName: string;
  readonly origin: string;
}

/**
 * Puts a picture or video in: a new one, or the next version of one. What was published goes on showing the version that it
 * was published with.
 *
 * @throws {Refusal} `MEDIA_KIND_UNKNOWN`, `MEDIA_INVALID`, `INPUT_TOO_LARGE`, `DISK_FULL`, `TOOL_MISSING`, `NOT_ALLOWED`
 */
export async function putMedia(
  app: App,
  person: PersonViewer,
  upload: Readable,
  { name, title, fileName, origin }: NewMedia,
): Promise<ShownMedia<Date>> {
  const known = await findMedia(app, name);
  if (known) await requireRight(app, person, 'edit', 'media', name);
  else await requireAuthor(app, person, 'media');
  const path = await incomingFile(app);
  const thumbnail = `${path}.thumbnail`;
  try {
    const { maxBytes } = app.settings.uploads;
    const tooLarge = new Refusal('INPUT_TOO_LARGE', `A file has at most ${Math.floor(maxBytes / 1_000_000)} MB.`, {
      hint: 'The operator can change it: UNDERBELL_UPLOAD_MAX_MIB.',
    });
    await receiveFile(upload, path, { maxBytes, tooLarge });
    const found = await examine(path, thumbnail);
    const hash = await hashOf(path);
    const { size } = await stat(path);
    await app.records.transaction(async () => {
      // While it is put where it lies nobody sweeps there.
      await lockFile(app, hash);
      await keepFile(thumbnail, thumbnailOf(app, hash));
      await keepFile(path, fileOf(app, hash));
      await holdName(app, resourceIdOf(name), known !== undefined);
      const before = await findVersion(app, name);
      const row = await findMedia(app, name);
      const called = title ?? row?.title ?? name;
      await media(app).upsert({ name, title: called });
      if (!known) await putOwner(app, person, resourceIdOf(name));
      if (before?.hash === hash) {
        if (called !== row?.title)
          await remember(app, {
            who: person.email,
            what: 'title changed',
            thing: `media ${name}`,
            origin,
            after: called,
          });
        return;
      }
      const number = (before?.number ?? 0) + 1;
      await mediaVersions(app).create({
        mediaName: name,
        number,
        ...found,
        fileName,
        sizeBytes: size,
        hash,
        addedBy: person.email,
        addedAt: new Date(app.now()),
      });
      const after = { type: found.type, fileName, sizeBytes: size, hash };
      await remember(app, {
        who: person.email,
        what: `version ${number} uploaded`,
        thing: `media ${name}`,
        origin,
        after,
      });
      await announce(app, resourceIdOf(name));
    });
  } catch (cause) {
    throw refuseSpace(cause);
  } finally {
    await Promise.all([path, thumbnail].map((one) => rm(one, { force: true })));
  }
  return showMedia(app, person, name);
}

/** Gives one another title; its name in addresses stays. */
export async function retitleMedia(
  app: App,
  person: PersonViewer,
  name: string,
  title: string,
  origin: string,
): Promise<ShownMedia<Date>> {
  await requireRight(app, person, 'edit', 'media', name);
  await app.records.transaction(async () => {
    await holdName(app, resourceIdOf(name), true);
    const before = await findMedia(app, name);
    if (before?.title === title) return;
    await media(app).update({ title }, { where: { name } });
    const change = { before: before?.title, after: title };
    await remember(app, { who: person.email, what: 'title changed', thing: `media ${name}`, origin, ...change });
    await announce(app, resourceIdOf(name));
  });
  return showMedia(app, person, name);
}
