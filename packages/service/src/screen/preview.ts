import type { PersonViewer } from '@underbell/core/access';
import { Refusal, suggest } from '@underbell/core/refusal';
import type { ScreenProgram } from '@underbell/core/screen';
import type { ViewAnswer } from '@underbell/core/view';
import type { App } from '../platform/index.ts';
import { metered, showView } from '../view/index.ts';
import { isPage, prepareSlot, type FoundSlot } from './fit.ts';
import { programFor, setupOf, slotsOf } from './program.ts';
import { requireScreen } from './screens.ts';

/** A slot that a screen shows. @throws {Refusal} `NOT_FOUND` */
export function slotIn(slots: ReadonlyMap<string, FoundSlot>, id: string) {
  const found = slots.get(id);
  if (found && isPage(found.slot)) return { slot: found.slot, source: found.source };
  throw new Refusal('NOT_FOUND', `the screen shows no slot \`${id}\``, { word: id, ...suggest(id, [...slots.keys()]) });
}

/**
 * What a screen shows from an instant on, told as the screen itself is told it. Whoever looks after a group may see what its
 * screens show: they could stand before it.
 *
 * @param at - an instant (ISO 8601)
 */
export async function previewProgram(
  app: App,
  person: PersonViewer,
  name: string,
  at: string | undefined,
): Promise<ScreenProgram> {
  const screen = await requireScreen(app, person, name, 'edit');
  return programFor(app, await setupOf(app, screen), at === undefined ? app.now() : Date.parse(at));
}

/** The figures of one slot under the screen's own rights. */
export async function previewSlot(app: App, person: PersonViewer, name: string, id: string): Promise<ViewAnswer<Date>> {
  const screen = await requireScreen(app, person, name, 'edit');
  const { slot, source } = slotIn(slotsOf(await setupOf(app, screen)), id);
  const view = await prepareSlot(app, screen, source, slot);
  return metered(app, { report: slot.shows.report, person: person.email }, () => showView(app, view));
}
