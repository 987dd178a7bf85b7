import escapeHtml from 'escape-html';
import { renderSVG } from 'uqr';
import { light } from '@underbell/core/theme';
import type { WallSize } from '@underbell/core/render';

/** Sizes by what a device says of its window in words that need no script, the last that fits. */
const sizes: readonly (readonly [media: string, size: WallSize])[] = [
  ['(max-width: 1300px)', { width: 1280, height: 720 }],
  ['(min-width: 2560px)', { width: 3840, height: 2160 }],
  ['(orientation: portrait)', { width: 1080, height: 1920 }],
  ['(orientation: portrait) and (min-height: 2560px)', { width: 2160, height: 3840 }],
];
export const usualSize: WallSize = { width: 1920, height: 1080 };

const asQuery = ({ width, height }: WallSize) => `width=${width}&height=${height}`;

const hour = 3_600;
const day = 24 * hour;
/** A page that hears nothing more waits for so long, in seconds, before it asks by itself, and says that it hears nothing. */
const againAfter = 45;
/** How often it asks then, less often later; in seconds, each until when. */
type Steps = readonly (readonly [until: number, every: number])[];
/** For pictures: a browser keeps each that it was given. */
const againEvery: Steps = [
  [hour / 6, 10],
  [2 * hour, 30],
  [12 * hour, 120],
  [3 * day, 600],
];
/** Whether its key still counts: a browser keeps the answer to each question for good. */
const closedEvery: Steps = [
  [hour / 6, 30],
  [2 * hour, 300],
  [3 * day, 3_600],
];
const againFor = 3 * day;
export const longestStepMs = 600_000;

function timesOf(steps: Steps): number[] {
  const times: number[] = [];
  let at = 0;
  for (const [until, every] of steps) for (; at < until; at += every) times.push(at);
  return times;
}
const againTimes = timesOf(againEvery);
const closedTimes = timesOf(closedEvery);

/**
 * A page from which nothing was heard comes again by itself after so long, in seconds, whatever the browser shows then: until
 * it does, a broken network leaves the last picture.
 */
const anewAfter = againFor + againAfter;

/**
 * What lets a page without scripts go on when nothing more comes. Pictures are asked for at their times, each laid over the
 * one before: as a stream, which goes on by itself where a browser can show one, and as a single one under it where it cannot.
 * What cannot be had leaves what is there. And it is asked whether the key still counts: the word that it does not is laid over
 * everything, and stays, also where the network goes after that.
 *
 * @see CSS Animations Level 1, section 3
 */
export function againSheet(size: WallSize): string {
  const address = (i: number) => ['live', 'now'].map((what) => `url(${what}?again=${i}&${asQuery(size)})`).join();
  const steps = againTimes.map((at, i) => {
    const percent = Number(((at / againFor) * 100).toFixed(5));
    return `${percent}%{background-image:${address(i)}${i > 0 ? `,${address(i - 1)}` : ''}}`;
  });
  const closed = closedTimes.map(
    (at, i) => `.closed i:nth-child(${i + 1}){animation:closed${i} 1s step-start ${againAfter + at}s forwards}
@keyframes closed${i}{to{background-image:url(closed?${i})}}`,
  );
  return `.again{animation:again ${againFor}s step-end ${againAfter}s forwards}
@keyframes again{
${steps.join('\n')}
}
${closed.join('\n')}
`;
}

/** Where that is found. @param size - of the pictures that are asked for */
export const againLink = (size: WallSize): string =>
  `<link rel="stylesheet" href="/screen/picture/again.css?${escapeHtml(asQuery(size))}">\n`;

/** What is laid over everything on a page that hears nothing more, once its key has been ended. */
export const closedSvg = `<svg xmlns="http://www.w3.org/2000/svg" width="100%" height="100%">
<rect width="100%" height="100%" fill="${light.paper}"/>
<text x="50%" y="50%" text-anchor="middle" font-family="sans-serif" font-size="32" fill="${light.quiet}">This screen is closed.</text>
</svg>
`;

const style = `
html, body { margin: 0; height: 100%; overflow: hidden; cursor: none; background: ${light.paper}; color: ${light.ink};
  font-family: 'Source Sans 3', system-ui, sans-serif; text-align: center; }
main { padding-top: 12vh; font-size: 4vh; }
main p { margin: 0 0 1.5vh; }
.quiet { color: ${light.quiet}; }
.code { font-size: 14vh; font-weight: 600; letter-spacing: 0.08em; }
.square { width: 34vh; height: 34vh; margin: 2vh auto; background: #fff; }
.picture, .again, .over, .closed i { position: fixed; top: 0; right: 0; bottom: 0; left: 0;
  background: no-repeat center / contain; }
.over { z-index: 3; background-color: ${light.paper}; }
.late, .since { z-index: 1; }
.again { z-index: 2; }
.closed i { z-index: 4; background-size: 100% 100%; }
.since { position: fixed; left: 40vw; bottom: 0.7vh; margin: 0; padding: 0.2vh 0.8vw; border-radius: 0.3vh; font-size: 2.6vh;
  background: ${light.paper}; color: ${light.quiet}; }
.since, .late { visibility: hidden; animation: seen 1s step-start ${againAfter}s forwards; }
@keyframes seen { to { visibility: visible; } }
@keyframes worry { to { background: ${light.signal}; color: #fff; font-weight: 600; } }
`;

const refresh = (seconds: number): string =>
  `<meta http-equiv="refresh" content="${Math.max(0, Math.round(seconds))}">\n`;

/** @param seconds - after which it comes again by itself, if nothing else is said until then */
const head = (seconds: number): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
${refresh(seconds)}<meta name="viewport" content="width=device-width, initial-scale=1">
<link rel="icon" href="data:,">
<title>Screen</title>
<style>${style}</style>
</head>
<body>
`;
const tail = '</body>\n</html>\n';

/** The last piece of a page that is held open: it comes again. The shorter of two times counts. */
export const comingAgain = (seconds: number): string => `${refresh(seconds)}${tail}`;

/** A page that is held open, and to which pictures are added. */
export const heldHead = (): string => head(anewAfter);

/** One picture among those of a page, and what replaces it. */
export interface AddedPicture {
  /** From 1, in the order in which they come. */
  readonly number: number;
  readonly title: string;
  /** Changes with what is seen on it. */
  readonly mark: string;
  /** Where the device was told one; it finds its own otherwise. */
  readonly size: WallSize | undefined;
  /** Whether the name of the screen stands on it. */
  readonly isNamed: boolean;
}

/** A picture that is laid over the one before, which stays until this one is there. */
export function pictureHtml({ number, title, mark, size, isNamed }: AddedPicture): string {
  const address = (one: WallSize) => `url(/screen/picture/now?${asQuery(one)}&of=${mark}${isNamed ? '&name=yes' : ''})`;
  const rule = (one: WallSize) => `#p${number}{background-image:${address(one)}}`;
  const others = size ? [] : sizes.map(([media, one]) => `@media ${media}{${rule(one)}}`);
  const before = number > 2 ? `#p${number - 2}{display:none}` : '';
  return `<style>${before}${rule(size ?? usualSize)}${others.join('')}</style>
<div id="p${number}" class="picture" role="img" aria-label="${escapeHtml(title)}"></div>
`;
}

/** A word that the service is there: without the next one the page says so, and asks by itself. */
export interface AddedWord {
  /** From 1, in the order in which they come. */
  readonly number: number;
  /** When it is said, as it is read on the wall. */
  readonly time: string;
  /** From when on a picture without a newer one is a worry, in seconds from now. */
  readonly worryAfter: number;
  /** From when on nothing is shown any more, in seconds from now. */
  readonly leaseSeconds: number;
}

export function wordHtml({ number, time, worryAfter, leaseSeconds }: AddedWord): string {
  const worry = `${Math.max(againAfter, Math.round(worryAfter))}s`;
  return `${number > 1 ? `<style>.w${number - 1}{display:none}</style>\n` : ''}<style>
.since.w${number}{animation:seen 1s step-start ${againAfter}s forwards,worry 1s step-start ${worry} forwards}
.late.w${number}{animation-delay:${leaseSeconds}s}
</style>
<div class="again w${number}" style="background-image:url(/screen/picture/here?${number})"></div>
<div class="closed w${number}">${'<i></i>'.repeat(closedTimes.length)}</div>
<p class="since w${number}">no word since ${escapeHtml(time)}</p>
<main class="over late w${number}"><p>No word from the service for too long.</p></main>
`;
}

/** What takes the place of everything on a page that is held open. */
export const overHtml = (text: string, hint: string): string =>
  `<style>.picture,.again,.since,.late,.closed{display:none}</style>
<main class="over"><p>${escapeHtml(text)}</p><p class="quiet">${escapeHtml(hint)}</p></main>
`;

/** A page that says which code to type, and where. @param seconds - after which it comes again */
export const codeHead = (code: string, address: string, seconds: number): string =>
  `${head(seconds)}<main>
<p class="quiet">This screen waits to be taken in. Open</p>
<p>${escapeHtml(address.replace(/^https?:\/\//, '').replace(/\?.*$/, ''))}</p>
<p class="quiet">and type</p>
<p class="code">${escapeHtml(code)}</p>
<p class="quiet">or scan:</p>
<div class="square">${renderSVG(address, { border: 2 })}</div>
</main>
`;

/** A page that says something, and looks again after a while. */
export const sayingPage = (text: string, hint: string, seconds: number): string =>
  `${head(seconds)}<main><p>${escapeHtml(text)}</p><p class="quiet">${escapeHtml(hint)}</p></main>\n${tail}`;
export const codePage = (code: string, address: string): string => `${codeHead(code, address, 5)}${tail}`;
