import type { PersonViewer, TokenViewer } from '@underbell/core/access';
import { isRefusal, Refusal } from '@underbell/core/refusal';
import { fillWords, type Slot } from '@underbell/core/screen';
import { editionIn } from '../place/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { dataFigures, fix, prepare, type PreparedView } from '../view/index.ts';
import type { ScreenRow } from './models.ts';

/** What a playlist, or an interruption, sets for its slots. */
export interface SlotSource {
  /** In limits: where they come from. */
  readonly title: string;
  /** Whose masks its conditions look through. */
  readonly writerId: string;
}

/** A screen as far as rows and rights know it. */
export type LookingScreen = Pick<ScreenRow, 'name' | 'groupName' | 'attributes' | 'timeZone' | 'language'>;

/** The same before somebody gives it what it lacks a right on. */
type PlannedScreen = LookingScreen & { readonly planned?: PersonViewer };

type PageSlot = Slot & {
  readonly shows: { readonly report: string; readonly page?: string; readonly figure?: string };
};
export const isPage = (slot: Slot): slot is PageSlot => 'report' in slot.shows;

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

/**
 * A page or figure as one screen may see it, before any row is read.
 *
 * @throws {Refusal} whatever keeps it from the screen; nothing is ever shown with less than all of its limits
 */
export async function prepareSlot(
  app: App,
  screen: PlannedScreen,
  source: SlotSource,
  slot: PageSlot,
): Promise<PreparedView> {
  const { report: name, page, figure } = slot.shows;
  const part = { page: page ?? null, figure: figure ?? null, look: {} };
  const edition = editionIn(await findEdition(app, name), part);
  const { today } = momentOf(app);
  const place = {
    name: `${source.title}: ${slot.name}`,
    kind: 'screen' as const,
    where: slot.where ?? {},
    writerId: source.writerId,
    ...(slot.title === undefined ? {} : { title: slot.title }),
    ...(page === undefined ? {} : { page }),
  };
  const view = await prepare(app, {
    viewer: viewerOf(screen, place.name, name),
    edition,
    request: { choices: [], parameters: {}, languages: [screen.language] },
    fixed: fix(edition.definition, slot.parameters ?? {}, 'placement', source.title, today),
    place,
  });
  return { ...view, taste: { ...view.taste, timeZone: screen.timeZone } };
}

/** Why a screen cannot show a slot; nothing where it can. What is asked is what is asked when it is shown. */
export async function misfitOf(
  app: App,
  screen: PlannedScreen,
  source: SlotSource,
  slot: Slot,
): Promise<string | undefined> {
  try {
    if (!isPage(slot)) {
      if ('text' in slot.shows) fillWords(slot.shows.text, screen.attributes);
      return undefined;
    }
    const view = await prepareSlot(app, screen, source, slot);
    checkConditions(view, slot);
    const refused = dataFigures(view)
      .map((figure) => view.filterOf(figure))
      .find((one) => one instanceof Refusal);
    return refused?.message;
  } catch (error) {
    if (!isRefusal(error)) throw error;
    return error.message;
  }
}

/** A condition on a dataset that the page does not read would limit nothing, without anybody seeing it. */
function checkConditions({ viewing: { report } }: PreparedView, slot: PageSlot): void {
  for (const name of Object.keys(slot.where ?? {}))
    if (!Object.hasOwn(report.datasets, name))
      throw new Refusal('INPUT_INVALID', `the report reads no dataset \`${name}\``, { word: name });
}

/** One slot of a screen, with what it comes from. */
export interface FoundSlot {
  readonly slot: Slot;
  readonly source: SlotSource;
}
