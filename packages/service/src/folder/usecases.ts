import { trashableKinds, isAtLeast, type BinnedKind, type PersonViewer, type ThingKind } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import {
  foldersOf,
  listFolders,
  namesSeen,
  notFound,
  requireRight,
  rightOn,
  rightsFor,
  visibleNames,
} from '../access/index.ts';
import { announce, remember, userOf, type App, type ThingTexts } from '../platform/index.ts';
import {
  listBin,
  listFavourites,
  listRecents,
  noteLook,
  putBack,
  setFavourite,
  moveToTrash,
  type Mark,
} from './store.ts';
import {
  type AtHand,
  type BinnedThing,
  type FolderContents,
  type FoundThing,
  type ThingUser,
} from '@underbell/core/folder';

type Findable = ThingTexts & { readonly kind: BinnedKind };

/** Kinds that can be searched for are those that can be thrown away. */
async function everything(app: App): Promise<Findable[]> {
  const of = async (kind: BinnedKind) => (await app.things.texts(kind)).map((one) => ({ kind, ...one }));
  return (await Promise.all(trashableKinds.map(of))).flat();
}

async function folders(app: App): Promise<ReadonlyMap<BinnedKind, ReadonlyMap<string, readonly string[]>>> {
  return new Map(await Promise.all(trashableKinds.map(async (kind) => [kind, await foldersOf(app, kind)] as const)));
}

async function visible<T extends { kind: BinnedKind; name: string }>(
  app: App,
  person: PersonViewer,
  things: readonly T[],
): Promise<T[]> {
  const seen = new Map<BinnedKind, Set<string>>();
  for (const kind of new Set(things.map((one) => one.kind))) {
    const names = things.filter((one) => one.kind === kind).map((one) => one.name);
    seen.set(kind, new Set(await visibleNames(app, person, kind, names)));
  }
  return things.filter((one) => seen.get(one.kind)!.has(one.name));
}

const plain = (text: string) => text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();
const mostFound = 50;

/**
 * Things by their names, titles, descriptions and what is inside them; every word must be found. Those whose name fits
 * come first.
 */
export async function find(app: App, person: PersonViewer, text: string): Promise<FoundThing[]> {
  const words = plain(text).split(/\s+/).filter(Boolean);
  const things = await visible(app, person, await everything(app));
  const places = await folders(app);
  const found = things.flatMap(({ kind, name, title, description, inside }) => {
    const head = plain(`${name} ${title}`);
    const whole = plain([head, description, ...inside.map((one) => one.text)].join(' '));
    if (!words.every((word) => whole.includes(word))) return [];
    const rank = words.every((word) => head.includes(word))
      ? 0
      : words.every((word) => plain(description).includes(word))
        ? 1
        : 2;
    const hit = rank === 2 ? inside.find((one) => words.some((word) => plain(one.text).includes(word))) : undefined;
    const folder = places.get(kind)!.get(name)?.[0];
    return [
      {
        rank,
        kind,
        name,
        title,
        ...(folder ? { folder } : {}),
        ...(hit ? { because: `${hit.where} “${hit.text}”` } : {}),
      },
    ];
  });
  return found
    .sort((a, b) => a.rank - b.rank || a.title.localeCompare(b.title))
    .slice(0, mostFound)
    .map(({ rank: _rank, ...one }) => one);
}

/** Folders with what lies in them, as a person may see it. */
export async function contents(app: App, person: PersonViewer): Promise<FolderContents> {
  const things = await visible(app, person, await everything(app));
  const all = await listFolders(app);
  const seen = new Set(
    await visibleNames(
      app,
      person,
      'folder',
      all.map((one) => one.name),
    ),
  );
  const places = await folders(app);
  return {
    folders: all.filter((one) => seen.has(one.name)),
    things: things.map(({ kind, name, title, description }) => ({
      kind,
      name,
      title,
      description,
      folder: places.get(kind)!.get(name)?.[0] ?? null,
    })),
  };
}

/** What a person keeps at hand and looked at last, as far as it may still be seen. */
export async function atHand(app: App, person: PersonViewer): Promise<AtHand<Date>> {
  const titles = new Map((await everything(app)).map((one) => [`${one.kind} ${one.name}`, one.title]));
  const known = <T extends Mark>(marks: readonly T[]) => marks.filter((one) => titles.has(`${one.kind} ${one.name}`));
  const titled = <T extends Mark>(marks: readonly T[]) =>
    marks.map((one) => ({ ...one, title: titles.get(`${one.kind} ${one.name}`)! }));
  const [favourites, recent] = await Promise.all([listFavourites(app, person.id), listRecents(app, person.id)]);
  return {
    favourites: titled(await visible(app, person, known(favourites))),
    recent: titled(await visible(app, person, known(recent))),
  };
}

export async function keepAtHand(app: App, person: PersonViewer, mark: Mark, isWanted: boolean): Promise<void> {
  if (isWanted) await requireRight(app, person, 'view', mark.kind, mark.name);
  await setFavourite(app, person.id, mark, isWanted);
}

export async function looked(app: App, person: PersonViewer, mark: Mark): Promise<void> {
  await requireRight(app, person, 'view', mark.kind, mark.name);
  await noteLook(app, person.id, mark);
}

/** Everything that would no longer work without a thing, each once. */
export async function dependents(app: App, thing: Mark): Promise<ThingUser[]> {
  const uses = await app.things.dependentsOf(thing);
  return [...new Map(uses.map((use) => [userOf(use), use.what]))].map(([user, what]) => ({ user, what }));
}

/** Throws a thing into the bin, where it stays for 30 days. @throws {Refusal} `IN_USE` with everything that depends on it, unless that was confirmed */
export async function bin(
  app: App,
  person: PersonViewer,
  mark: Mark,
  options: { isConfirmed: boolean; origin: string },
): Promise<void> {
  const { kind, name } = mark;
  await requireRight(app, person, 'own', kind, name);
  const uses = await dependents(app, mark);
  if (uses.length > 0 && !options.isConfirmed) {
    const users = uses.map((one) => one.user);
    throw new Refusal('IN_USE', `The ${kind} “${name}” is used by ${users.join(', ')}.`, {
      hint: 'Confirm that they may stop working, or change them first.',
      problems: uses.map((one) => ({ at: one.user, message: one.what })),
    });
  }
  const seen = await namesSeen(app, person, kind);
  await app.records.transaction(async () => {
    // Whoever owns all of a kind owns those that there are.
    if (!(await moveToTrash(app, kind, name, person.name))) throw notFound(kind, name, seen);
    await remember(app, {
      who: person.email,
      what: 'moved to trash',
      thing: `${kind} ${name}`,
      origin: options.origin,
      after: { uses },
    });
    await announce(app, mark);
  });
}

const mayOwn = async (app: App, person: PersonViewer, kind: ThingKind, name: string) =>
  isAtLeast(await rightOn(app, person, kind, name), 'own');

export const binDays = 30;

/** What lies in the bin of what a person owns, and until when. */
export async function seenBin(app: App, person: PersonViewer): Promise<BinnedThing<Date>[]> {
  const all = await listBin(app);
  const right = rightsFor(app, person);
  const own = await Promise.all(all.map(async (one) => isAtLeast(await right(one), 'own')));
  return all
    .filter((_, i) => own[i])
    .map((one) => ({ ...one, until: new Date(one.deletedAt.getTime() + binDays * 86_400_000) }));
}

/** Takes a thing out of the bin again. */
export async function restore(app: App, person: PersonViewer, mark: Mark, origin: string): Promise<void> {
  const known = (await listBin(app)).some((one) => one.kind === mark.kind && one.name === mark.name);
  if (!known || !(await mayOwn(app, person, mark.kind, mark.name)))
    throw notFound(`${mark.kind} in the bin`, mark.name, []);
  await app.records.transaction(async () => {
    if (!(await putBack(app, mark.kind, mark.name))) throw notFound(`${mark.kind} in the bin`, mark.name, []);
    await remember(app, {
      who: person.email,
      what: 'restored from trash',
      thing: `${mark.kind} ${mark.name}`,
      origin,
    });
    await announce(app, mark);
  });
}
