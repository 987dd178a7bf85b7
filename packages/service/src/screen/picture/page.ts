import escapeHtml from 'escape-html';
import { renderSVG } from 'uqr';
import { light } from '@underbell/core/theme';
import type { WallSize } from '@underbell/core/render';

/** Sizes by what a device says of its window in words that need no script, the first that fits. */
const sizes: readonly (readonly [media: string, size: WallSize])[] = [
  ['(orientation: portrait) and (min-height: 2560px)', { width: 2160, height: 3840 }],
  ['(orientation: portrait)', { width: 1080, height: 1920 }],
  ['(min-width: 2560px)', { width: 3840, height: 2160 }],
  ['(max-width: 1300px)', { width: 1280, height: 720 }],
];
export const usualSize: WallSize = { width: 1920, height: 1080 };

const addressOf = ({ width, height }: WallSize) => `/screen/picture/now?width=${width}&amp;height=${height}`;

const page = (seconds: number, inside: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta http-equiv="refresh" content="${Math.max(1, Math.round(seconds))}">
<meta name="viewport" content="width=device-width, initial-scale=1">
<link rel="icon" href="data:,">
<title>Screen</title>
<style>
html, body { margin: 0; height: 100%; overflow: hidden; cursor: none; background: ${light.paper}; color: ${light.ink};
  font-family: 'Source Sans 3', system-ui, sans-serif; text-align: center; }
img { display: block; width: 100%; height: 100%; object-fit: contain; }
main { padding-top: 12vh; font-size: 4vh; }
main p { margin: 0 0 1.5vh; }
.quiet { color: ${light.quiet}; }
.code { font-size: 14vh; font-weight: 600; letter-spacing: 0.08em; }
.square { width: 34vh; height: 34vh; margin: 2vh auto; background: #fff; }
</style>
</head>
<body>
${inside}
</body>
</html>
`;

/**
 * A page that shows one picture and comes again by itself.
 *
 * @param seconds - after which it does
 * @param size - where the device was told one; it finds its own otherwise
 */
export function playingPage(title: string, seconds: number, size: WallSize | undefined): string {
  const sources = size
    ? ''
    : sizes.map(([media, one]) => `<source media="${media}" srcset="${addressOf(one)}">`).join('\n');
  return page(
    seconds,
    `<picture>\n${sources}<img src="${addressOf(size ?? usualSize)}" alt="${escapeHtml(title)}"></picture>`,
  );
}

/** A page that says which code to type, and where. */
export const codePage = (code: string, address: string): string =>
  page(
    5,
    `<main>
<p class="quiet">This screen waits to be taken in. Open</p>
<p>${escapeHtml(address.replace(/^https?:\/\//, '').replace(/\?.*$/, ''))}</p>
<p class="quiet">and type</p>
<p class="code">${escapeHtml(code)}</p>
<p class="quiet">or scan:</p>
<div class="square">${renderSVG(address, { border: 2 })}</div>
</main>`,
  );

/** A page that says something, and looks again after a while. */
export const sayingPage = (text: string, hint: string, seconds: number): string =>
  page(seconds, `<main><p>${escapeHtml(text)}</p><p class="quiet">${escapeHtml(hint)}</p></main>`);
