import type { PersonViewer, TokenViewer } from '@underbell/core/access';
import { numberText } from '@underbell/core/figure';
import { isVideo } from '@underbell/core/media';
import { isRefusal, Refusal, suggest } from '@underbell/core/refusal';
import { findPage, type NumberFigure } from '@underbell/core/report';
import {
  fillWords,
  pageCaution,
  mediaFitWarning,
  type Pixels,
  type ShownWords,
  type Slot,
} from '@underbell/core/screen';
import type { ViewResponse } from '@underbell/core/view';
import { notFound } from '../access/index.ts';
import { drawBoard, findBoard, prepareBoard, type BoardRow } from '../board/index.ts';
import { findVersion, type VersionRow } from '../media/index.ts';
import { shownEdition } from '../placement/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import {
  dataFigures,
  fix,
  limitsOf,
  prepare,
  readOne,
  refusalFor,
  type Place,
  type PreparedView,
} from '../view/index.ts';
import type { ScreenRow } from './models.ts';

/** What a playlist, or an interruption, sets for its slots. */
export interface SlotSource {
  /** In limits: where they come from. */
  readonly title: string;
  /** Whose masks its conditions look through. */
  readonly writerId: string;
}

/** A screen as far as rows and rights know it. */
export type ScreenContext = Pick<ScreenRow, 'name' | 'groupName' | 'attributes' | 'timeZone' | 'language' | 'asked'>;

/** The same before somebody gives it what it lacks a right on. */
type PlannedScreen = ScreenContext & { readonly planned?: PersonViewer };

type With<Content> = Slot & { readonly shows: Extract<Slot['shows'], Content> };
export type PageSlot = With<{ readonly report: string }>;
export const isPage = (slot: Slot): slot is PageSlot => 'report' in slot.shows;
export const isBoard = (slot: Slot): slot is With<{ readonly board: string }> => 'board' in slot.shows;
export const isMedia = (slot: Slot): slot is With<{ readonly media: string }> => 'media' in slot.shows;
export const isWords = (slot: Slot): slot is With<{ readonly text: string }> => 'text' in slot.shows;

/** One look at a report from within a slot, with what the slot sets for it. */
export interface SlotRequest {
  /** Within the slot. */
  readonly pointer: string;
  /** Where it is set: the slot itself, or a value within its words. */
  readonly settings: string;
  readonly report: string;
  readonly page?: string;
  readonly figure?: string;
  readonly where?: Readonly<Record<string, string>>;
  readonly parameters?: Readonly<Record<string, string>>;
}

/** What a slot itself looks at; what is on a board is the board's. */
export function slotRequestsOf(slot: Slot): SlotRequest[] {
  const { where, parameters } = slot;
  const settings = { ...(where ? { where } : {}), ...(parameters ? { parameters } : {}) };
  if (isPage(slot)) return [{ pointer: '/shows', settings: '', ...slot.shows, ...settings }];
  if (!isWords(slot)) return [];
  return Object.entries(slot.shows.values ?? {}).map(([name, value]) => {
    const pointer = `/shows/values/${name}`;
    return { pointer, settings: pointer, ...value };
  });
}

/** A screen as limits see it: nobody in particular, for whom the slot's own filter counts as a token's would. */
const viewerOf = (screen: PlannedScreen, place: string, report: string): TokenViewer => ({
  kind: 'client',
  clientId: `screen ${screen.name}`,
  tokenId: `screen ${screen.name}`,
  where: {},
  placement: place,
  screen: {
    name: screen.name,
    group: screen.groupName,
    values: screen.attributes,
    ...(screen.planned ? { planned: screen.planned } : {}),
  },
  details: { type: 'report_view', report, actions: ['view'] },
  giverId: null,
  expiresAt: Number.MAX_SAFE_INTEGER,
});

const requestOf = (screen: ScreenContext) => ({ choices: [], parameters: {}, languages: [screen.language] });

const placementInfo = (source: SlotSource, slot: Slot, where: Readonly<Record<string, string>> = {}): Place => ({
  name: `${source.title}: ${slot.name}`,
  kind: 'screen',
  where,
  writerId: source.writerId,
  ...(slot.title === undefined ? {} : { title: slot.title }),
});

async function prepareLook(
  app: App,
  screen: PlannedScreen,
  source: SlotSource,
  slot: Slot,
  look: SlotRequest,
): Promise<PreparedView> {
  const { report: name, page, figure } = look;
  const part = { page: page ?? null, figure: figure ?? null, look: {} };
  const edition = shownEdition(await findEdition(app, name), part);
  const { today } = momentOf(app);
  const place = { ...placementInfo(source, slot, look.where), ...(page === undefined ? {} : { page }) };
  const view = await prepare(app, {
    viewer: viewerOf(screen, place.name, name),
    edition,
    request: requestOf(screen),
    fixed: fix(edition.definition, look.parameters ?? {}, 'placement', source.title, today),
    place,
  });
  return { ...view, taste: { ...view.taste, timeZone: screen.timeZone } };
}

/**
 * A page or figure as one screen may see it, before any row is read.
 *
 * @throws {Refusal} whatever keeps it from the screen; nothing is ever shown with less than all of its limits
 */
export const prepareSlot = (app: App, screen: PlannedScreen, source: SlotSource, slot: PageSlot) =>
  prepareLook(app, screen, source, slot, slotRequestsOf(slot)[0]!);

/** @throws {Refusal} `NOT_FOUND` */
export async function boardOf(app: App, name: string): Promise<BoardRow> {
  const row = await findBoard(app, name);
  if (row) return row;
  throw notFound('board', name, []);
}

/** A board as one screen may see it: each figure under all that limits it here and on the board. */
export async function showBoardSlot(
  app: App,
  screen: ScreenContext,
  source: SlotSource,
  slot: Slot,
  board: string,
): Promise<ViewResponse<Date>> {
  const place = placementInfo(source, slot, slot.where);
  const viewer = viewerOf(screen, place.name, '');
  const answer = await drawBoard(app, viewer, await boardOf(app, board), requestOf(screen), place);
  return { ...answer, taste: { ...answer.taste, timeZone: screen.timeZone } };
}

const wordFigure = (view: PreparedView): NumberFigure => {
  const [figure] = view.viewing.page.figures;
  if (figure?.kind === 'number') return figure;
  throw new Refusal('PLAYLIST_INVALID', `Figure “${figure?.name}” is not a number.`, {
    hint: 'A text can contain figures of kind “number”.',
  });
};

/** Words with what the screen says of itself, and with values of figures as it may see them. */
export async function showWords(app: App, screen: ScreenContext, source: SlotSource, slot: Slot): Promise<ShownWords> {
  if (!isWords(slot)) throw new TypeError(`the slot ${slot.name} has no words`);
  const values: Record<string, string> = {};
  let asOf = Infinity;
  for (const look of slotRequestsOf(slot)) {
    const view = await prepareLook(app, screen, source, slot, look);
    const figure = wordFigure(view);
    const result = await readOne(app, view, dataFigures(view)[0]!);
    if (result.refused) throw new Refusal('COLUMN_HIDDEN', result.refused.message);
    const { value, unit } = numberText(figure, result, view.taste);
    values[look.pointer.slice('/shows/values/'.length)] = unit ? `${value} ${unit}` : value;
    for (const one of limitsOf(view)) asOf = Math.min(asOf, one.loadedAt.getTime());
  }
  return {
    text: fillWords(slot.shows.text, { ...screen.attributes, ...values }),
    asOf: Number.isFinite(asOf) ? asOf : null,
  };
}

/** The version that a slot shows: its own, or the newest. @throws {Refusal} `NOT_FOUND` */
export async function mediaOf(app: App, { media, version }: { media: string; version?: number }): Promise<VersionRow> {
  const found = await findVersion(app, media, version);
  if (found) return found;
  throw notFound('media', media, []);
}

/** Reports that a slot shows something of. */
export async function reportsBehind(app: App, slot: Slot): Promise<string[]> {
  if (!isBoard(slot)) return [...new Set(slotRequestsOf(slot).map((one) => one.report))];
  const board = await findBoard(app, slot.shows.board);
  return [...new Set(board?.definition.figures.map((one) => one.report) ?? [])];
}

/** A condition on a dataset that nothing here reads would limit nothing, without anybody seeing it. */
function checkConditions(views: readonly PreparedView[], where: SlotRequest['where']): void {
  const names = [...new Set(views.flatMap((one) => Object.keys(one.viewing.report.datasets)))];
  for (const name of Object.keys(where ?? {}))
    if (!names.includes(name))
      throw new Refusal('INPUT_INVALID', `The content does not use dataset “${name}”.`, {
        word: name,
        ...suggest(name, names),
      });
}

async function checkFits(app: App, screen: PlannedScreen, source: SlotSource, slot: Slot): Promise<void> {
  if (isMedia(slot)) {
    const { type } = await mediaOf(app, slot.shows);
    if (isVideo(type) && screen.asked.isPicture)
      throw new Refusal('INPUT_INVALID', 'The screen is in image mode and cannot play videos.');
    return;
  }
  if (isBoard(slot)) {
    const place = placementInfo(source, slot, slot.where);
    const viewer = viewerOf(screen, place.name, '');
    const board = await boardOf(app, slot.shows.board);
    checkConditions(await prepareBoard(app, viewer, board, requestOf(screen), place), slot.where);
    return;
  }
  for (const look of slotRequestsOf(slot)) {
    const view = await prepareLook(app, screen, source, slot, look);
    checkConditions([view], look.where);
    for (const figure of dataFigures(view)) {
      // A page stands with a figure that a mask keeps back; words that lack their value say nothing.
      const refused = isWords(slot) ? refusalFor(view, figure) : view.filterOf(figure);
      if (refused instanceof Refusal) throw refused;
    }
    if (isWords(slot)) wordFigure(view);
  }
  if (isWords(slot)) {
    const later = Object.fromEntries(Object.keys(slot.shows.values ?? {}).map((name) => [name, '']));
    fillWords(slot.shows.text, { ...screen.attributes, ...later });
  }
}

/** Why a screen cannot show a slot; nothing where it can. What is asked is what is asked when it is shown. */
export async function misfitOf(
  app: App,
  screen: PlannedScreen,
  source: SlotSource,
  slot: Slot,
): Promise<string | undefined> {
  try {
    await checkFits(app, screen, source, slot);
    return undefined;
  } catch (error) {
    if (!isRefusal(error)) throw error;
    return error.message;
  }
}

/** What of a slot hangs on the size of a wall: its figures, or its picture. */
export type SlotExtent = Parameters<typeof pageCaution>[0] | Pixels | undefined;

/** @returns nothing for what fits everywhere, and for what is gone */
export async function extentOf(app: App, slot: Slot): Promise<SlotExtent> {
  if (isMedia(slot)) {
    const found = await findVersion(app, slot.shows.media, slot.shows.version);
    return found?.width && found.height ? { width: found.width, height: found.height } : undefined;
  }
  if (isBoard(slot)) return (await findBoard(app, slot.shows.board))?.definition.figures;
  if (!isPage(slot) || slot.shows.figure !== undefined) return undefined;
  try {
    const { definition } = await findEdition(app, slot.shows.report);
    return findPage(definition, slot.shows.page).figures.filter((one) => one.kind !== 'picker');
  } catch (error) {
    if (isRefusal(error)) return undefined;
    throw error;
  }
}

/** What a slot would not be on a wall as it is meant to be. */
export function cautionOf(extent: SlotExtent, { seconds }: Slot, wall: Pixels): string | undefined {
  if (extent === undefined) return undefined;
  return 'width' in extent ? mediaFitWarning(extent, wall) : pageCaution(extent, seconds, wall);
}

/** One slot of a screen, with what it comes from. */
export interface FoundSlot {
  readonly slot: Slot;
  readonly source: SlotSource;
}
