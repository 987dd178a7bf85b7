import {
  decideRight,
  isAtLeast,
  type FoldedKind,
  type PersonViewer,
  type RightLevel,
  type Thing,
} from '@underbell/core/access';
import { Refusal } from '@underbell/core/refusal';
import {
  foldersOf,
  listFolders,
  listGrants,
  listPeople,
  moveThing,
  putFolder,
  putGrant,
  requireRight,
  rightOn,
  rightsOn,
  type FolderRow,
} from '../access/index.ts';
import { remember, type App } from '../platform/index.ts';

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

/** Moving gives rights only where that is said out loud. @throws {Refusal} `PERMISSIONS_WIDENED`, naming who would gain what */
async function refuseGains(app: App, thing: Pick<Thing, 'kind' | 'name'>, folder: string | null): Promise<void> {
  const gains = await gainsOf(app, thing, folder);
  if (gains.length === 0) return;
  const words = gains.slice(0, 5).map(({ who, level }) => `${who} may ${level} it`);
  const more = gains.length > 5 ? `, and ${gains.length - 5} more` : '';
  throw new Refusal(
    'PERMISSIONS_WIDENED',
    `Moving “${thing.name}” to folder “${folder}” gives more users access: ${words.join(', ')}${more}.`,
    {
      hint: 'Confirm to move it, or select another folder.',
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
    throw new Refusal('INPUT_INVALID', `Folder “${name}” cannot be in itself.`, {
      pointer: '/parentName',
      word: parentName,
    });
  }
}

/**
 * Makes a folder, moves it, or gives it another title. Whoever makes it owns it.
 *
 * @throws {Refusal} `PERMISSIONS_WIDENED` for a move by which people gain rights, unless confirmed
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
    throw new Refusal('NOT_ALLOWED', 'You do not have permission to create a folder.', {
      hint: 'Publishers and administrators can.',
    });
  if (parentName !== (known?.parentName ?? null)) {
    if (known) await requireRight(app, person, 'own', 'folder', folder.name);
    if (parentName !== null) {
      await requireRight(app, person, known ? 'own' : 'edit', 'folder', parentName);
      refuseCircle(all, folder.name, parentName);
    }
    await requireMover(app, person, known?.parentName ?? null, null);
    if (known && !isConfirmed) await refuseGains(app, { kind: 'folder', name: folder.name }, parentName);
  }
  await app.records.transaction(async () => {
    await putFolder(app, folder);
    const thing = { kind: 'folder' as const, name: folder.name };
    const holder = { kind: 'person' as const, name: person.email };
    if (!known) await putGrant(app, { holder, thing, level: 'own' }, { givenBy: person.id });
    await remember(app, {
      who: person.email,
      what: 'folder saved',
      thing: `folder ${folder.name}`,
      origin,
      before: known,
      after: folder,
    });
  });
}

/**
 * Puts a report or dataset into a folder: its rights are the thing's from then on, so it takes owning all of them.
 *
 * @throws {Refusal} `PERMISSIONS_WIDENED` where people gain rights by it, unless confirmed
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
  await app.records.transaction(async () => {
    await moveThing(app, thing, folder);
    const what = `${thing.kind} ${thing.name}`;
    await remember(app, {
      who: person.email,
      what: 'moved to folder',
      thing: what,
      origin,
      before: { folder: from },
      after: { folder },
    });
  });
}
