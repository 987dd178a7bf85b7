import escapeHtml from 'escape-html';
import { renderSVG } from 'uqr';
import { light } from '@underbell/core/theme';
import type { WallSize } from '@underbell/core/render';
import { againAfter, anewAfter, beginAnew, framesStyle } from './reconnectFrames.ts';

/** Sizes by what a device says of its window in words that need no script, the last that fits. */
const sizes: readonly (readonly [media: string, size: WallSize])[] = [
  ['(max-width: 1300px)', { width: 1280, height: 720 }],
  ['(min-width: 2560px)', { width: 3840, height: 2160 }],
  ['(orientation: portrait)', { width: 1080, height: 1920 }],
  ['(orientation: portrait) and (min-height: 2560px)', { width: 2160, height: 3840 }],
];
export const usualSize: WallSize = { width: 1920, height: 1080 };

const asQuery = ({ width, height }: WallSize) => `width=${width}&height=${height}`;

const style = `
html, body { margin: 0; height: 100%; overflow: hidden; cursor: none; background: ${light.paper}; color: ${light.ink};
  font-family: 'Source Sans 3', system-ui, sans-serif; text-align: center; }
main { padding-top: 12vh; font-size: 4vh; }
main p { margin: 0 0 1.5vh; }
.quiet { color: ${light.quiet}; }
.code { font-size: 14vh; font-weight: 600; letter-spacing: 0.08em; }
.square { width: 34vh; height: 34vh; margin: 2vh auto; background: #fff; }
.under { margin: 40vh 25vw 0; font-size: 2.2vh; }
.picture, .over { position: fixed; top: 0; right: 0; bottom: 0; left: 0; background: no-repeat center / contain; }
.here { position: fixed; width: 1px; height: 1px; }
.over { z-index: 3; background-color: ${light.paper}; }
.late, .since { z-index: 1; }
.since { position: fixed; left: 40vw; bottom: 0.7vh; margin: 0; padding: 0.2vh 0.8vw; border-radius: 0.3vh; font-size: 2.6vh;
  background: ${light.paper}; color: ${light.quiet}; }
.since, .late { visibility: hidden; animation: seen 1s step-start ${againAfter}s forwards; }
@keyframes seen { to { visibility: visible; } }
@keyframes worry { to { background: ${light.signal}; color: #fff; font-weight: 600; } }
${framesStyle}`;

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

/**
 * A page that is held open, and to which pictures are added. What it says until the first one is there is long on purpose:
 * WebKit goes on showing the page before until the new one has some hundred characters, or is whole; pictures do not count.
 */
export const heldHead =
  (): string => `${head(anewAfter)}<p class="under quiet">The first image for this screen is being created. \
It appears automatically, and so does every image after it, when the content changes. Without a connection, this page keeps the \
last image, shows since when it is offline, reconnects automatically, and after the offline limit shows only text. \
You do not need to do anything on this device.</p>
`;

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
${beginAnew(number)}
<div class="here w${number}" style="background-image:url(/screen/picture/here?${number})"></div>
<p class="since w${number}">offline since ${escapeHtml(time)}</p>
<main class="over late w${number}"><p>Offline too long.</p></main>
`;
}

/** What takes the place of everything on a page that is held open. */
export const overHtml = (text: string, hint: string): string =>
  `<style>.picture,.again,.ended,.since,.late{display:none}</style>
<main class="over"><p>${escapeHtml(text)}</p><p class="quiet">${escapeHtml(hint)}</p></main>
`;

/** A page that says which code to type, and where. @param seconds - after which it comes again */
export const codeHead = (code: string, address: string, seconds: number): string =>
  `${head(seconds)}<main>
<p class="quiet">Pair this screen. Open</p>
<p>${escapeHtml(address.replace(/^https?:\/\//, '').replace(/\?.*$/, ''))}</p>
<p class="quiet">and enter</p>
<p class="code">${escapeHtml(code)}</p>
<p class="quiet">or scan:</p>
<div class="square">${renderSVG(address, { border: 2 })}</div>
</main>
`;

/** A page that says something, and looks again after a while. */
export const sayingPage = (text: string, hint: string, seconds: number): string =>
  `${head(seconds)}<main><p>${escapeHtml(text)}</p><p class="quiet">${escapeHtml(hint)}</p></main>\n${tail}`;
export const codePage = (code: string, address: string): string => `${codeHead(code, address, 5)}${tail}`;
