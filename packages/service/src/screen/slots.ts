import { createHash } from 'node:crypto';
import type { Context } from 'koa';
import { Refusal, suggest } from '@underbell/core/refusal';
import type { ShownWords } from '@underbell/core/screen';
import type { ViewResponse } from '@underbell/core/view';
import { serveFile } from '../media/index.ts';
import type { Answer, App } from '../platform/index.ts';
import { answerShown, metered, showPage, showView } from '../view/index.ts';
import {
  isBoard,
  isMedia,
  isPage,
  isWords,
  mediaOf,
  prepareSlot,
  showBoardSlot,
  showWords,
  type FoundSlot,
  type ScreenContext,
} from './slotCheck.ts';

/** A slot that a screen shows. @throws {Refusal} `NOT_FOUND` */
export function slotIn(slots: ReadonlyMap<string, FoundSlot>, id: string): FoundSlot {
  const found = slots.get(id);
  if (found) return found;
  throw new Refusal('NOT_FOUND', `The screen has no slot “${id}”.`, { word: id, ...suggest(id, [...slots.keys()]) });
}

const noFigures = (slot: FoundSlot['slot']) =>
  new Refusal('INPUT_INVALID', `Slot “${slot.name}” has no figures.`, { hint: 'Request its file.' });

/** What a slot shows on one screen; not counted as a look. */
export async function slotContent(
  app: App,
  screen: ScreenContext,
  { slot, source }: FoundSlot,
): Promise<ViewResponse<Date> | ShownWords> {
  if (isPage(slot)) return showView(app, await prepareSlot(app, screen, source, slot));
  if (isBoard(slot)) return showBoardSlot(app, screen, source, slot, slot.shows.board);
  if (isWords(slot)) return showWords(app, screen, source, slot);
  throw noFigures(slot);
}

/** What the meter counts a look at a slot as. */
function countedAs({ slot }: FoundSlot): { report?: string; board?: string } {
  if (isPage(slot)) return { report: slot.shows.report };
  if (isBoard(slot)) return { board: slot.shows.board };
  const [first] = isWords(slot) ? Object.values(slot.shows.values ?? {}) : [];
  return first ? { report: first.report } : {};
}

/**
 * What a slot shows on one screen.
 *
 * @param by - who looks, as the meter counts them
 */
export const slotShown = (app: App, screen: ScreenContext, found: FoundSlot, by: string) =>
  metered(app, { ...countedAs(found), person: by }, () => slotContent(app, screen, found));

/**
 * Answers the screen that asks for a slot; what it has already is not sent again.
 *
 * @param keyId - of the screen's pairing
 */
export async function answerSlot(
  app: App,
  ctx: Context,
  { screen, keyId }: { readonly screen: ScreenContext; readonly keyId: string },
  found: FoundSlot,
): Promise<Answer> {
  const { slot, source } = found;
  if (isPage(slot)) {
    const asked = {
      asker: `screen ${keyId}`,
      address: `${ctx.path} ${JSON.stringify(screen.attributes)} ${screen.timeZone} ${screen.language}`,
      known: ctx.get('If-None-Match'),
    };
    answerShown(ctx, await showPage(app, asked, () => prepareSlot(app, screen, source, slot)));
    return null;
  }
  const answer = await slotShown(app, screen, found, `screen ${screen.name}`);
  const tag = `"${createHash('sha256').update(JSON.stringify(answer)).digest('base64url')}"`;
  ctx.set('ETag', tag);
  ctx.set('Cache-Control', 'private, no-cache');
  if (ctx.get('If-None-Match') !== tag) return answer;
  ctx.status = 304;
  return null;
}

/** The picture or video of a slot, or a range of its bytes. @throws {Refusal} `INPUT_INVALID` for a slot that has none */
export async function fileIn(app: App, ctx: Context, { slot }: FoundSlot): Promise<Answer> {
  if (isMedia(slot)) return serveFile(app, ctx, await mediaOf(app, slot.shows));
  throw new Refusal('INPUT_INVALID', `Slot “${slot.name}” has no file.`, { hint: 'Request its content.' });
}
