import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import pLimit from 'p-limit';
import sharp from 'sharp';
import { isVideo } from '@underbell/core/media';
import { isRefusal } from '@underbell/core/refusal';
import type { Figure } from '@underbell/core/report';
import { ageOf, nextEdge, slotAt, type ScreenProgram, type SlotHandle, type Turn } from '@underbell/core/screen';
import { light } from '@underbell/core/theme';
import type { ViewResponse } from '@underbell/core/view';
import {
  pictureTop,
  sheetsOn,
  wallOverSvg,
  wallPageSvg,
  wallWordsSvg,
  type WallPage,
  type WallSigns,
  type WallSize,
} from '@underbell/core/render';
import { pathOfFile } from '../../media/index.ts';
import { perInstance, type App } from '../../platform/index.ts';
import { drawWallPng, drawInTurn } from '../../render/index.ts';
import { programFor, slotsOf, type ScreenSetup } from '../schedule.ts';
import { slotContent, slotIn, slotShown } from '../slots.ts';

/** Pictures that were drawn, by all that stands in them; in bytes. */
const mostBytes = 128 * 1_048_576;
const againMs = 60_000;
/** A picture takes a core for a moment: readers are answered beside it. */
const fewAtOnce = pLimit(2);

interface Kept {
  readonly drawn: LRUCache<string, Buffer>;
  readonly drawing: Map<string, Promise<Buffer>>;
  /** Slots that could not be drawn, by screen and slot: until when they are left out. */
  readonly failed: LRUCache<string, number>;
  /** Turns that were counted as a look: what is asked for again while it is there is looked at once. */
  readonly counted: LRUCache<string, true>;
  /** Counted for whoever asks how often one picture served many. */
  renders: number;
}
const keptOf = perInstance<Kept>(() => ({
  drawn: new LRUCache<string, Buffer>({ maxSize: mostBytes, sizeCalculation: (one) => one.length }),
  drawing: new Map(),
  failed: new LRUCache<string, number>({ max: 50_000, ttl: againMs }),
  counted: new LRUCache<string, true>({ max: 50_000 }),
  renders: 0,
}));

/** How many pictures this process has drawn. */
export const rendersOf = (app: App): number => keptOf(app).renders;

const hashOf = (of: unknown): string => createHash('sha256').update(JSON.stringify(of)).digest('base64url');

/** A picture as it is sent. */
interface WallPicture {
  readonly png: Buffer;
  /** Another one for any other picture. */
  readonly tag: string;
}

/** Draws a picture once for everybody who is shown the same. @param of - all that stands in it */
async function once(app: App, of: unknown, draw: () => Promise<Buffer>): Promise<WallPicture> {
  const tag = hashOf(of);
  const kept = keptOf(app);
  const known = kept.drawn.get(tag);
  if (known) return { png: known, tag };
  let making = kept.drawing.get(tag);
  if (!making) {
    making = fewAtOnce(async () => {
      kept.renders++;
      const png = await draw();
      kept.drawn.set(tag, png);
      return png;
    }).finally(() => kept.drawing.delete(tag));
    kept.drawing.set(tag, making);
  }
  return { png: await making, tag };
}

/** What a slot shows, before it is drawn. */
type Content =
  | { readonly kind: 'page'; readonly page: WallPage }
  | { readonly kind: 'words'; readonly title?: string; readonly text: string; readonly isQuiet?: boolean }
  | { readonly kind: 'media'; readonly title?: string; readonly hash: string };

interface Found {
  readonly content: Content;
  readonly asOf: number | null;
}

function wallPage(answer: ViewResponse<Date>, title: string | undefined): WallPage {
  const { page, results, taste, parameters, datasets } = answer;
  // What may not be seen says so, whatever kind of figure it is.
  const figures = page.figures.map((one) =>
    one.kind === 'text' && results[one.name]?.refused ? { ...one, kind: 'number' as const, measure: '' } : one,
  );
  const limits = datasets.flatMap((one) => one.limits.filter(({ origin }) => origin === 'placement'));
  return {
    title: title ?? (answer.pages.length > 1 ? `${answer.title}: ${page.title}` : answer.title),
    figures: figures as unknown as Figure[],
    results: new Map(Object.entries(results)),
    taste,
    parameters: Object.fromEntries(parameters.flatMap(({ name, words }) => (words ? [[name, words]] : []))),
    limits: [...new Set(limits.map((one) => one.words))],
  };
}

async function contentOf(
  app: App,
  setup: ScreenSetup,
  { slot: { as }, from }: Turn<SlotHandle>,
  isSeen: boolean,
): Promise<Found> {
  const title = as.title === undefined ? {} : { title: as.title };
  if (as.media) return { content: { kind: 'media', ...title, hash: as.media.hash }, asOf: null };
  if (as.text !== undefined) return { content: { kind: 'words', ...title, text: as.text }, asOf: null };
  const { screen } = setup;
  const slot = slotIn(slotsOf(setup), as.id);
  const { counted } = keptOf(app);
  const turn = `${screen.name} ${as.id} ${from}`;
  const isCounted = isSeen && !counted.has(turn);
  const answer = isCounted
    ? await slotShown(app, screen, slot, `screen ${screen.name}`)
    : await slotContent(app, screen, slot);
  if (isCounted) counted.set(turn, true);
  if ('text' in answer) return { content: { kind: 'words', ...title, text: answer.text }, asOf: answer.asOf };
  const loaded = answer.datasets.map((one) => one.loadedAt.getTime());
  return {
    content: { kind: 'page', page: wallPage(answer, as.title) },
    asOf: loaded.length === 0 ? null : Math.min(...loaded),
  };
}

function drawMedia(app: App, content: Extract<Content, { kind: 'media' }>, size: WallSize, signs: WallSigns) {
  const top = pictureTop(content.title, size);
  return async () => {
    const under = await drawWallPng(wallOverSvg(content.title, size, signs));
    const room = { width: size.width, height: size.height - top, fit: 'contain', background: light.paper } as const;
    const picture = await drawInTurn(() => sharp(pathOfFile(app, content.hash)).rotate().resize(room).png().toBuffer());
    return sharp(under)
      .composite([{ input: picture, top, left: 0 }])
      .png()
      .toBuffer();
  };
}

/** What is on a screen now. */
export interface ShownTurn {
  readonly program: ScreenProgram;
  readonly turn: Turn<SlotHandle> | undefined;
  readonly found: Found;
  /** What could not be shown, and was left out. */
  readonly problems: readonly { readonly what: string; readonly detail: string }[];
}

/**
 * Looks what a screen shows now; what cannot be shown is left out for a while, and told.
 *
 * @param isSeen - whether it is shown to somebody, and counts as a look
 */
export async function scheduledSlotOf(app: App, setup: ScreenSetup, isSeen = true): Promise<ShownTurn> {
  const { failed } = keptOf(app);
  const now = app.now();
  const program = programFor(app, setup, now);
  const problems: { what: string; detail: string }[] = [];
  const keyOf = ({ id }: SlotHandle) => `${setup.screen.name} ${id}`;
  const isLeftOut = ({ as }: { readonly as: SlotHandle }) =>
    (as.media !== undefined && isVideo(as.media.type)) || (failed.get(keyOf(as)) ?? 0) > now;
  for (;;) {
    const turn = slotAt(program.stretches, now, isLeftOut);
    if (!turn) {
      const text = program.otherwise || program.screen.title;
      return { program, turn, found: { content: { kind: 'words', text, isQuiet: true }, asOf: null }, problems };
    }
    const { as } = turn.slot;
    try {
      return { program, turn, found: await contentOf(app, setup, turn, isSeen), problems };
    } catch (error) {
      if (!isRefusal(error)) throw error;
      failed.set(keyOf(as), now + againMs);
      problems.push({ what: `slot skipped: ${as.id}`, detail: error.message.slice(0, 300) });
    }
  }
}

/** How a page's sheets share the time of its slot. */
function sheetOf(app: App, { turn, found: { content } }: ShownTurn, size: WallSize): { at: number; untilMs: number } {
  const now = app.now();
  if (!turn) return { at: 0, untilMs: now };
  const count = content.kind === 'page' ? sheetsOn(content.page, size) : 1;
  const share = (turn.until - turn.from) / count;
  const at = Math.min(count - 1, Math.max(0, Math.floor((now - turn.from) / share)));
  return { at, untilMs: turn.from + (at + 1) * share };
}

/** When something else is to be seen, at the latest; milliseconds since 1970-01-01T00:00:00Z. */
export function changesAt(app: App, shown: ShownTurn, size: WallSize): number {
  if (shown.turn) return sheetOf(app, shown, size).untilMs;
  return nextEdge(shown.program.stretches, app.now()) ?? Infinity;
}

/** What a screen shows, as it is drawn at a size. */
interface Drawing {
  /** All that stands in it, but for its size. */
  readonly of: unknown;
  readonly draw: () => Promise<Buffer>;
}

function drawingOf(app: App, shown: ShownTurn, size: WallSize, name: string | undefined): Drawing {
  const { program, found } = shown;
  const { content, asOf } = found;
  const { language: locale, timeZone } = program.screen;
  const age = asOf === null ? undefined : ageOf(asOf, app.now(), { worryMs: program.worryMs, locale, timeZone });
  const signs: WallSigns = { ...(age ? { age } : {}), ...(name === undefined ? {} : { name }) };
  if (content.kind === 'media') return { of: [content, signs], draw: drawMedia(app, content, size, signs) };
  if (content.kind === 'words')
    return { of: [content, signs], draw: () => drawWallPng(wallWordsSvg(content, size, signs)) };
  const { at } = sheetOf(app, shown, size);
  const { page } = content;
  return {
    of: [page, [...page.results], at, signs],
    draw: () => drawWallPng(wallPageSvg(page, at, size, signs)),
  };
}

export const markLength = 16;
/** Changes with what a screen shows at a size, and says nothing of it. */
export const markOf = (app: App, shown: ShownTurn, size: WallSize, name: string | undefined): string =>
  hashOf(drawingOf(app, shown, size, name).of).slice(0, markLength);

/** Draws what a screen shows, once for all screens that show the same at the same size. */
export function drawTurn(app: App, shown: ShownTurn, size: WallSize, name: string | undefined): Promise<WallPicture> {
  const { of, draw } = drawingOf(app, shown, size, name);
  return once(app, [of, size], draw);
}

/** Words alone, as a picture. */
export const drawWords = (app: App, text: string, size: WallSize): Promise<WallPicture> =>
  once(app, [text, size], () => drawWallPng(wallWordsSvg({ text, isQuiet: true }, size, {})));
