import {
  decideRight,
  guestLevel,
  isAtLeast,
  type Grant,
  type GrantHolder,
  type PersonViewer,
  type RightLevel,
  type Thing,
  type ThingKind,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { lockThing, remember, type App } from '../platform/index.ts';
import {
  foldersOf,
  listFolders,
  listGrants,
  moveThing,
  putFolder,
  putGrant,
  removeGrant,
  type FoldedKind,
  type FolderRow,
  type StoredGrant,
} from './grantStore.ts';
import { noSuch, requirePassOn, requireRight, rightOn, rightsOn } from './rights.ts';
import { requireHolder } from './rules.ts';
import { findPersonRow, listPeople } from './store.ts';

/** Guests and programs look and take away; neither edits, owns or passes on. @throws {Refusal} `NOT_ALLOWED` */
async function refuseTooMuch(app: App, { holder, level, canPassOn }: Grant): Promise<void> {
  if (holder.kind !== 'client' && holder.kind !== 'person') return;
  if (isAtLeast({ level: guestLevel }, level) && canPassOn !== true) return;
  if (holder.kind === 'person') {
    const row = await findPersonRow(app, { email: holder.name });
    if (row?.organisation === null && row.state !== 'guest') return;
  }
  const who = holder.kind === 'client' ? 'programs' : 'guests';
  throw new Refusal('NOT_ALLOWED', `${who} view and export; they do not ${canPassOn ? 'pass on' : 'edit'}`, {
    pointer: canPassOn ? '/canPassOn' : '/level',
    word: level,
  });
}

/**
 * Whose own limits apply to what a program reaches by a right: the giver's, unless the giver may edit the data itself and
 * so decides about those limits.
 */
export async function boundOf(
  app: App,
  giver: PersonViewer,
  holder: GrantHolder,
  thing: Pick<Thing, 'kind' | 'name'>,
): Promise<string | null> {
  if (holder.kind !== 'client') return null;
  const decides = thing.kind === 'dataset' || thing.kind === 'folder';
  return decides && isAtLeast(await rightOn(app, giver, thing.kind, thing.name), 'edit') ? null : giver.id;
}

/** Gives a right, by somebody who may pass it on. */
export async function giveGrant(app: App, person: PersonViewer, grant: Grant, origin: string): Promise<void> {
  const { thing, holder } = grant;
  await requirePassOn(app, person, grant.level, thing.kind, thing.name);
  await requireHolder(app, holder);
  await refuseTooMuch(app, grant);
  const settled: Grant =
    holder.kind === 'person' ? { ...grant, holder: { ...holder, name: holder.name.toLowerCase() } } : grant;
  const before = (await listGrants(app)).find(
    (one) =>
      one.thing.kind === thing.kind &&
      one.thing.name === thing.name &&
      JSON.stringify(one.holder) === JSON.stringify(settled.holder),
  );
  // Taking away by giving less is for those who may take away.
  if (before && before.level !== grant.level) await requirePassOn(app, person, before.level, thing.kind, thing.name);
  await app.records.transaction(async (transaction) => {
    await putGrant(app, settled, transaction, {
      givenBy: person.id,
      boundedBy: await boundOf(app, person, holder, thing),
    });
    await remember(
      app,
      {
        who: person.email,
        what: 'right given',
        thing: `${thing.kind} ${thing.name}`,
        origin,
        before,
        after: settled,
      },
      transaction,
    );
  });
}

/** The grants on one thing, for those who may give them. */
export async function grantsOn(
  app: App,
  person: PersonViewer,
  kind: ThingKind,
  name: string,
): Promise<readonly StoredGrant[]> {
  await requireRight(app, person, 'edit', kind, name);
  const around = (await foldersOf(app, kind)).get(name) ?? [];
  // Those on all of its kind, and on the folders that it lies in, reach it as well.
  return (await listGrants(app)).filter(
    ({ thing }) =>
      (thing.kind === kind && (thing.name === name || thing.name === '*')) ||
      (thing.kind === 'folder' && (thing.name === '*' || around.includes(thing.name))),
  );
}

/**
 * Takes a right back.
 *
 * @throws {Refusal} `IN_USE` when nobody but administrators would own the thing any more
 */
export async function takeGrant(app: App, person: PersonViewer, id: number, origin: string): Promise<void> {
  const grants = await listGrants(app);
  const before = grants.find((one) => one.id === id);
  if (!before) throw noSuch('grant', String(id), []);
  const { thing } = before;
  const right = await rightOn(app, person, thing.kind, thing.name);
  if (right === undefined) throw noSuch('grant', String(id), []);
  // Whoever passed a right on may take it back; owners may take back any.
  if (!isAtLeast(right, 'own') && before.givenBy !== person.email) {
    throw new Refusal('NOT_ALLOWED', 'only its owners and whoever gave it may take a right back');
  }
  await app.records.transaction(async (transaction) => {
    // Two who take the last two owners' rights at once would otherwise each leave the other's.
    await lockThing(app, thing.kind, thing.name, transaction);
    const owners = (await listGrants(app)).filter(
      (one) => one.thing.kind === thing.kind && one.thing.name === thing.name && one.level === 'own',
    );
    if (before.level === 'own' && owners.length === 1 && !person.isAdministrator) {
      throw new Refusal('IN_USE', `nobody would own the ${thing.kind} \`${thing.name}\` any more`, {
        hint: 'give somebody else the right to own it first',
      });
    }
    await removeGrant(app, id, transaction);
    const what = `${thing.kind} ${thing.name}`;
    await remember(app, { who: person.email, what: 'right taken back', thing: what, origin, before }, transaction);
  });
}

type Gain = { readonly who: string; readonly level: RightLevel };

/** Whose right on a thing would grow if it lay in another folder: with the folder come the rights that are given on it. */
async function gainsOf(app: App, thing: Pick<Thing, 'kind' | 'name'>, folder: string | null): Promise<Gain[]> {
  const [decide, paths] = await Promise.all([rightsOn(app, thing.kind), foldersOf(app, 'folder')]);
  const path = folder === null ? [] : [folder, ...(paths.get(folder) ?? [])];
  const grants = await listGrants(app);
  return (await listPeople(app)).flatMap((person) => {
    const before = decide(person, thing.name);
    const after = decideRight(grants, person, { ...thing, folders: path });
    return after !== undefined && !isAtLeast(before, after.level) ? [{ who: person.email, level: after.level }] : [];
  });
}

/** Moving gives rights only where that is said out loud. @throws {Refusal} `RIGHTS_GROW`, naming who would gain what */
async function refuseGains(app: App, thing: Pick<Thing, 'kind' | 'name'>, folder: string | null): Promise<void> {
  const gains = await gainsOf(app, thing, folder);
  if (gains.length === 0) return;
  const words = gains.slice(0, 5).map(({ who, level }) => `${who} may ${level} it`);
  const more = gains.length > 5 ? `, and ${gains.length - 5} more` : '';
  throw new Refusal(
    'RIGHTS_GROW',
    `in \`${folder}\` more people would reach \`${thing.name}\`: ${words.join(', ')}${more}`,
    {
      hint: 'confirm that they are meant to, or move it elsewhere',
      problems: gains.map(({ who, level }) => ({ at: who, message: `may ${level} it` })),
    },
  );
}

/** Moving asks for the right to own a thing, where it comes from and where it goes. */
async function requireMover(app: App, person: PersonViewer, from: string | null, to: string | null): Promise<void> {
  if (from !== null) await requireRight(app, person, 'own', 'folder', from);
  if (to !== null) await requireRight(app, person, 'own', 'folder', to);
}

/** A folder cannot lie in itself, nor in one that lies in it. */
function refuseCircle(all: readonly FolderRow[], name: string, parentName: string): void {
  const parents = new Map(all.map((one) => [one.name, one.parentName]));
  for (let at: string | null | undefined = parentName; at; at = parents.get(at)) {
    if (at !== name) continue;
    throw new Refusal('INPUT_INVALID', `\`${name}\` cannot lie in itself`, {
      pointer: '/parentName',
      word: parentName,
    });
  }
}

/**
 * Makes a folder, moves it, or gives it another title. Whoever makes it owns it.
 *
 * @throws {Refusal} `RIGHTS_GROW` for a move by which people gain rights, unless confirmed
 */
export async function saveFolder(
  app: App,
  person: PersonViewer,
  { isConfirmed, ...folder }: FolderRow & { readonly isConfirmed: boolean },
  origin: string,
): Promise<void> {
  const all = await listFolders(app);
  const known = all.find((one) => one.name === folder.name);
  const { parentName } = folder;
  if (known) await requireRight(app, person, 'edit', 'folder', folder.name);
  else if (!isAtLeast(await rightOn(app, person, 'report', '*'), 'edit') && !person.isAdministrator)
    throw new Refusal('NOT_ALLOWED', 'you may not make a new folder', { hint: 'publishers and administrators may' });
  if (parentName !== (known?.parentName ?? null)) {
    if (known) await requireRight(app, person, 'own', 'folder', folder.name);
    if (parentName !== null) {
      await requireRight(app, person, known ? 'own' : 'edit', 'folder', parentName);
      refuseCircle(all, folder.name, parentName);
    }
    await requireMover(app, person, known?.parentName ?? null, null);
    if (known && !isConfirmed) await refuseGains(app, { kind: 'folder', name: folder.name }, parentName);
  }
  await app.records.transaction(async (transaction) => {
    await putFolder(app, folder, transaction);
    const thing = { kind: 'folder' as const, name: folder.name };
    const holder = { kind: 'person' as const, name: person.email };
    if (!known) await putGrant(app, { holder, thing, level: 'own' }, transaction, { givenBy: person.id });
    await remember(
      app,
      { who: person.email, what: 'folder saved', thing: `folder ${folder.name}`, origin, before: known, after: folder },
      transaction,
    );
  });
}

/**
 * Puts a report or dataset into a folder: its rights are the thing's from then on, so it takes owning all of them.
 *
 * @throws {Refusal} `RIGHTS_GROW` where people gain rights by it, unless confirmed
 */
export async function moveToFolder(
  app: App,
  person: PersonViewer,
  thing: { kind: FoldedKind; name: string },
  to: { readonly folder: string | null; readonly isConfirmed: boolean },
  origin: string,
): Promise<void> {
  await requireRight(app, person, 'own', thing.kind, thing.name);
  const { folder } = to;
  const from = (await foldersOf(app, thing.kind)).get(thing.name)?.[0] ?? null;
  if (from === folder) return;
  await requireMover(app, person, from, folder);
  if (!to.isConfirmed) await refuseGains(app, thing, folder);
  await app.records.transaction(async (transaction) => {
    await moveThing(app, thing, folder, transaction);
    const what = `${thing.kind} ${thing.name}`;
    await remember(
      app,
      { who: person.email, what: 'moved to folder', thing: what, origin, before: { folder: from }, after: { folder } },
      transaction,
    );
  });
}
