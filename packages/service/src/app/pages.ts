import { isAtLeast, type PersonViewer, type RightLevel } from '@underbell/core/access';
import { boardOfPage, itemsOf, type AppPage, type PageItem, type PageShared } from '@underbell/core/app';
import { Refusal, suggest } from '@underbell/core/refusal';
import { findPerson, giveGrant, notFound, rightOn, rightsFor } from '../access/index.ts';
import { findBoard, isBoardBinned, listBoards, saveBoard, type BoardRow } from '../board/index.ts';
import { findEdition } from '../report/index.ts';
import { remember, requireHost, type App } from '../platform/index.ts';
import { appPages, type AppRow } from './models.ts';
import { requireOnApp } from './requireEnabledApp.ts';
import { pagesOf } from './store.ts';

function shownPage(board: BoardRow, right: RightLevel, { charts }: AppRow): AppPage {
  const { name, title, changedBy, version, definition } = board;
  return { name, title, right, changedBy, version, items: itemsOf(definition, charts) };
}

/** The mixed pages of an app that somebody may see: their own, and those shared with them. */
export async function seenPages(app: App, person: PersonViewer, appName: string, host?: string) {
  const row = await requireOnApp(app, person, appName);
  requireHost(host, row.origins);
  const names = await pagesOf(app, appName);
  const right = rightsFor(app, person);
  const pages: AppPage[] = [];
  for (const board of await listBoards(app)) {
    if (!names.includes(board.name)) continue;
    const own = await right({ kind: 'board', name: board.name });
    if (own) pages.push(shownPage(board, own.level, row));
  }
  return { app: appName, title: row.title, pages, charts: row.charts.map(({ name, title }) => ({ name, title })) };
}

/** A page of an app that somebody may see. @throws {Refusal} `NOT_FOUND` */
async function requirePage(app: App, person: PersonViewer, appName: string, name: string) {
  const row = await requireOnApp(app, person, appName);
  const { pages } = await seenPages(app, person, appName);
  const page = pages.find((one) => one.name === name);
  if (!page)
    throw notFound(
      'page',
      name,
      pages.map((one) => one.name),
    );
  return { row, page };
}

/** A page as it is asked for. */
export interface PageWish {
  readonly title: string;
  readonly items: readonly PageItem[];
  /** The version that was changed. */
  readonly version?: number | undefined;
}

/**
 * Saves a mixed page: anybody who uses the app may make one, of figures that they may see.
 *
 * @throws {Refusal} `APP_DISABLED`, `BOARD_INVALID` for a figure that they do not see, `NAME_TAKEN`, `VERSION_CONFLICT`
 */
export async function savePage(
  app: App,
  person: PersonViewer,
  appName: string,
  name: string,
  { title, items, version }: PageWish,
  origin: string,
): Promise<AppPage> {
  const row = await requireOnApp(app, person, appName);
  if (person.isGuest === true)
    throw new Refusal('NOT_ALLOWED', 'Guests cannot create custom pages.', {
      hint: 'Ask a colleague to share one.',
    });
  const names = row.charts.map((one) => one.name);
  for (const [i, item] of items.entries())
    if ('chart' in item && !names.includes(item.chart))
      throw new Refusal('INPUT_INVALID', `App “${row.title}” has no chart “${item.chart}”.`, {
        pointer: `/items/${i}/chart`,
        word: item.chart,
        ...suggest(item.chart, names),
      });
  const isOwn = (await pagesOf(app, appName)).includes(name);
  // A board of somebody else's, or one in the bin, is not told apart: its name is taken.
  if (!isOwn && ((await findBoard(app, name)) !== undefined || (await isBoardBinned(app, name))))
    throw new Refusal('NAME_TAKEN', `The name “${name}” is in use.`, { word: name, hint: 'Use another name.' });
  if (isOwn) await requirePage(app, person, appName, name);
  await saveBoard(app, person, boardOfPage({ name, title, items }, row.charts), {
    origin,
    ...(version === undefined ? {} : { version }),
    madeIn: async () => void (await appPages(app).upsert({ boardName: name, appName })),
  });
  return (await requirePage(app, person, appName, name)).page;
}

/**
 * Shares a page with a colleague, who sees it under their own rights and row rules.
 *
 * @returns the figures that they will not see, as far as the one who shares it may know who sees their reports: no right comes
 * with a page but the one on it
 */
export async function sharePage(
  app: App,
  person: PersonViewer,
  appName: string,
  name: string,
  wish: { readonly person: string; readonly level: RightLevel },
  origin: string,
): Promise<PageShared> {
  const { page } = await requirePage(app, person, appName, name);
  const email = wish.person.toLowerCase();
  const colleague = await findPerson(app, { email });
  const grant = {
    holder: { kind: 'person' as const, name: email },
    thing: { kind: 'board' as const, name },
    level: wish.level,
  };
  await app.records.transaction(async () => {
    await giveGrant(app, person, grant, origin);
    const what = 'custom page shared';
    await remember(app, { who: person.email, what, thing: `board ${name}`, origin, after: { app: appName, ...wish } });
  });
  const unseen: string[] = [];
  for (const item of page.items)
    // Who has which rights is told to those who may edit a thing, and to nobody else.
    if ('report' in item && colleague && isAtLeast(await rightOn(app, person, 'report', item.report), 'edit'))
      if (!(await rightOn(app, colleague, 'report', item.report))) unseen.push(await titleOf(app, item));
  return { person: email, level: wish.level, unseen };
}

/** What a figure is called. */
async function titleOf(app: App, item: Extract<PageItem, { report: string }>): Promise<string> {
  const { definition } = await findEdition(app, item.report);
  const page = definition.pages.find((one) => one.name === item.page);
  return page?.figures.find((one) => one.name === item.figure)?.title ?? item.figure;
}
