import type { Context } from 'koa';
import type { PersonViewer } from '@underbell/core/access';
import type { ScreenProgram } from '@underbell/core/screen';
import type { Answer, App } from '../platform/index.ts';
import { programFor, setupOf, slotsOf } from './schedule.ts';
import { requireScreen } from './screens.ts';
import { fileIn, slotIn, slotShown } from './slots.ts';

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

/** The figures, or words, of one slot under the screen's own rights. */
export async function previewSlot(app: App, person: PersonViewer, name: string, id: string): Promise<object> {
  const screen = await requireScreen(app, person, name, 'edit');
  return slotShown(app, screen, slotIn(slotsOf(await setupOf(app, screen)), id), person.email);
}

/** The picture or video of one slot. */
export async function previewFile(
  app: App,
  ctx: Context,
  person: PersonViewer,
  { name, id }: { readonly name: string; readonly id: string },
): Promise<Answer> {
  const screen = await requireScreen(app, person, name, 'edit');
  return fileIn(app, ctx, slotIn(slotsOf(await setupOf(app, screen)), id));
}
