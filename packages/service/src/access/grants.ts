import { isAtLeast, type Grant, type PersonViewer, type ThingKind } from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import { remember, type App } from '../platform/index.ts';
import {
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
import { noSuch, requirePassOn, requireRight, rightOn } from './rights.ts';
import { requireHolder } from './rules.ts';

/** Gives a right, by somebody who may pass it on. */
export async function giveGrant(app: App, person: PersonViewer, grant: Grant, origin: string): Promise<void> {
  const { thing, holder } = grant;
  await requirePassOn(app, person, grant.level, thing.kind, thing.name);
  await requireHolder(app, holder);
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
    await putGrant(app, settled, transaction, person.email);
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
  return (await listGrants(app)).filter((one) => one.thing.kind === kind && one.thing.name === name);
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
  const owners = grants.filter(
    (one) => one.thing.kind === thing.kind && one.thing.name === thing.name && one.level === 'own',
  );
  if (before.level === 'own' && owners.length === 1 && !person.isAdministrator) {
    throw new Refusal('IN_USE', `nobody would own the ${thing.kind} \`${thing.name}\` any more`, {
      hint: 'give somebody else the right to own it first',
    });
  }
  await app.records.transaction(async (transaction) => {
    await removeGrant(app, id, transaction);
    const what = `${thing.kind} ${thing.name}`;
    await remember(app, { who: person.email, what: 'right taken back', thing: what, origin, before }, transaction);
  });
}

/** Makes a folder, or gives it another title. Whoever makes it owns it. */
export async function saveFolder(app: App, person: PersonViewer, folder: FolderRow, origin: string): Promise<void> {
  const all = await listFolders(app);
  const known = all.find((one) => one.name === folder.name);
  const { parentName } = folder;
  if (parentName !== null && parentName !== known?.parentName) {
    if (!all.some((one) => one.name === parentName)) throw noSuch('folder', parentName, []);
    await requireRight(app, person, 'edit', 'folder', parentName);
    const parents = new Map(all.map((one) => [one.name, one.parentName]));
    for (let at: string | null | undefined = parentName; at; at = parents.get(at)) {
      if (at !== folder.name) continue;
      throw new Refusal('INPUT_INVALID', `\`${folder.name}\` cannot lie in itself`, {
        pointer: '/parentName',
        word: parentName,
      });
    }
  }
  if (known) await requireRight(app, person, 'edit', 'folder', folder.name);
  else if (!isAtLeast(await rightOn(app, person, 'report', '*'), 'edit') && !person.isAdministrator)
    throw new Refusal('NOT_ALLOWED', 'you may not make a new folder', { hint: 'publishers and administrators may' });
  await app.records.transaction(async (transaction) => {
    await putFolder(app, folder, transaction);
    const thing = { kind: 'folder' as const, name: folder.name };
    const holder = { kind: 'person' as const, name: person.email };
    if (!known) await putGrant(app, { holder, thing, level: 'own' }, transaction, person.email);
    await remember(
      app,
      { who: person.email, what: 'folder saved', thing: `folder ${folder.name}`, origin, before: known, after: folder },
      transaction,
    );
  });
}

/** Puts a report or dataset into a folder: its rights are the thing's from then on, so it takes owning both. */
export async function moveToFolder(
  app: App,
  person: PersonViewer,
  thing: { kind: FoldedKind; name: string },
  folder: string | null,
  origin: string,
): Promise<void> {
  await requireRight(app, person, 'own', thing.kind, thing.name);
  if (folder !== null) {
    const folders = (await listFolders(app)).map((one) => one.name);
    if (!folders.includes(folder)) throw noSuch('folder', folder, []);
    await requireRight(app, person, 'own', 'folder', folder);
  }
  await app.records.transaction(async (transaction) => {
    await moveThing(app, thing, folder, transaction);
    const what = `${thing.kind} ${thing.name}`;
    await remember(
      app,
      { who: person.email, what: 'moved to folder', thing: what, origin, after: { folder } },
      transaction,
    );
  });
}
