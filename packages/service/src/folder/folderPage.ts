import type { PersonViewer, RightLevel } from '@underbell/core/access';
import { usualFolderPage, type Collection, type FolderPage } from '@underbell/core/folder';
import { Refusal } from '@underbell/core/refusal';
import { listFolders, namesSeen, notFound, requireRight, visibleNames } from '../access/index.ts';
import {
  announce,
  isThing,
  one,
  remember,
  renameElement,
  type App,
  type Named,
  requireHost,
} from '../platform/index.ts';
import { folderPages } from './models.ts';
import { contents } from './usecases.ts';

/** What is shown on a start page. */
const shownKinds = ['report', 'board'] as const;
const ways = { report: 'r', board: 'b' } as const;
type ShownKind = (typeof shownKinds)[number];
const isShown = <T extends { readonly kind: string }>(thing: T): thing is T & { readonly kind: ShownKind } =>
  (shownKinds as readonly string[]).includes(thing.kind);

async function pageOf(app: App, name: string): Promise<FolderPage> {
  const row = await one(folderPages(app).findByPk(name));
  if (!row) return usualFolderPage;
  const { words, things: order, hasPictures, origins } = row;
  return { words, order, hasPictures, origins };
}

/** A folder that is there: who may see all of them may see one that is not. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
async function requireFolder(app: App, person: PersonViewer, level: RightLevel, name: string): Promise<void> {
  await requireRight(app, person, level, 'folder', name);
  if (!(await isThing(app, { kind: 'folder', name })))
    throw notFound('folder', name, await namesSeen(app, person, 'folder'));
}

/** How a folder's start page is, for those who may change it. @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED` */
export async function showFolderPage(app: App, person: PersonViewer, name: string): Promise<FolderPage> {
  await requireFolder(app, person, 'edit', name);
  return pageOf(app, name);
}

/** @throws {Refusal} `NOT_FOUND`, `NOT_ALLOWED`; `INPUT_INVALID` for what does not lie in the folder */
export async function saveFolderPage(
  app: App,
  person: PersonViewer,
  name: string,
  page: FolderPage,
  origin: string,
): Promise<FolderPage> {
  await requireFolder(app, person, 'edit', name);
  const inside = (await thingsIn(app, person, name)).map((one) => `${one.kind} ${one.name}`);
  const before = await pageOf(app, name);
  const strange = page.order.find((one) => !inside.includes(one) && !before.order.includes(one));
  if (strange !== undefined)
    throw new Refusal('INPUT_INVALID', `“${strange}” is not in folder “${name}”.`, {
      pointer: '/order',
      word: strange,
      hint: 'Write “report NAME” or “board NAME”.',
    });
  const { order: things, ...rest } = page;
  await app.records.transaction(async () => {
    await folderPages(app).upsert({ folderName: name, things, ...rest });
    await announce(app, { kind: 'folder', name });
    await remember(app, {
      who: person.email,
      what: 'folder page saved',
      thing: `folder ${name}`,
      origin,
      before,
      after: page,
    });
  });
  return page;
}

async function thingsIn(app: App, person: PersonViewer, name: string) {
  const { things } = await contents(app, person);
  return things.filter((one) => one.folder === name).filter(isShown);
}

/** A folder with what a person may see of it. @throws {Refusal} `NOT_FOUND`, also where one may not see it */
export async function showCollection(app: App, person: PersonViewer, name: string, host?: string): Promise<Collection> {
  await requireFolder(app, person, 'view', name);
  const [all, { words, order, hasPictures, origins }, things] = await Promise.all([
    listFolders(app),
    pageOf(app, name),
    thingsIn(app, person, name),
  ]);
  requireHost(host, origins);
  const inside = all.filter((one) => one.parentName === name);
  const seen = await visibleNames(
    app,
    person,
    'folder',
    inside.map((one) => one.name),
  );
  const place = ({ kind, name: thing }: Named) => {
    const at = order.indexOf(`${kind} ${thing}`);
    return at < 0 ? order.length : at;
  };
  return {
    name,
    title: all.find((one) => one.name === name)!.title,
    words,
    hasPictures,
    folders: inside.filter((one) => seen.includes(one.name)).map((one) => ({ name: one.name, title: one.title })),
    things: things
      .toSorted((a, b) => place(a) - place(b) || a.title.localeCompare(b.title))
      .map(({ kind, name: thing, title, description }) => ({
        kind,
        name: thing,
        title,
        description,
        path: `/${ways[kind]}/${thing}`,
        picture: `/api/v1/${kind}s/${thing}/thumbnail`,
      })),
  };
}

/** What comes first goes on by its new name. */
export async function followInPages(app: App, { kind, name }: Named, to: string): Promise<void> {
  await renameElement(app, { model: folderPages, column: 'things', from: `${kind} ${name}`, to: `${kind} ${to}` });
}
