import escapeHtml from 'escape-html';
import type { WallSize } from '@underbell/core/render';
import { light } from '@underbell/core/theme';

// What lets a page without scripts go on when nothing more comes. Time makes two frames higher, pixel by pixel, and each pixel
// is a step: the rules of a frame hang on its height, and an address is asked for when its rule begins to count. Pictures that
// stand in keyframes themselves would be asked for all at once by WebKit, and long before their time.

const day = 86_400;
/** A page that hears nothing more waits for so long, in seconds, before it asks by itself, and says that it hears nothing. */
export const againAfter = 45;

/** Steps of the same length. */
interface Phase {
  readonly count: number;
  /** In seconds. */
  readonly every: number;
}
/** How often pictures are asked for: for two hours, and then in rounds of six hours. */
const first: readonly Phase[] = [
  { count: 60, every: 10 },
  { count: 110, every: 60 },
];
const round: Phase = { count: 180, every: 120 };
export const longestStepMs = round.every * 1_000;
/** How often it is asked whether the key still counts: a browser keeps each answer for good. */
const ended: readonly Phase[] = [
  { count: 20, every: 30 },
  { count: 22, every: 300 },
  { count: 132, every: 600 },
  { count: 144, every: 3_600 },
];

const countOf = (phases: readonly Phase[]) => phases.reduce((sum, one) => sum + one.count, 0);
const secondsOf = (phases: readonly Phase[]) => phases.reduce((sum, one) => sum + one.count * one.every, 0);
const firstCount = countOf(first);

/**
 * A page from which nothing was heard comes again by itself after so long, in seconds, whatever the browser shows then: until
 * it does, a broken network leaves the last picture.
 */
export const anewAfter = 7 * day;

/** Of a frame at its first step, in pixels: no wall is as high. */
const atFirst = 8_000;

/** A height that grows by a pixel with each step. @see CSS Easing Functions Level 1, section 2.3 */
function rising(name: string, phases: readonly Phase[], from: number): string {
  const whole = secondsOf(phases);
  const frames = phases.map(({ count }, i) => {
    const before = phases.slice(0, i);
    const percent = Number(((secondsOf(before) / whole) * 100).toFixed(6));
    return `${percent}%{height:${from + countOf(before)}px;animation-timing-function:steps(${count},end)}`;
  });
  return `@keyframes ${name}{${frames.join('')}100%{height:${from + countOf(phases)}px}}`;
}

const names = (turn: number) => `.again{animation-name:again${turn},round${turn}}.ended{animation-name:ended${turn}}`;

/** The style of the frames on their page. @see CSS Animations Level 1 */
export const framesStyle = `
.again, .ended { position: fixed; border: 0; height: ${atFirst - 100}px; }
.again { z-index: 2; animation-duration: ${secondsOf(first)}s, ${secondsOf([round])}s;
  animation-delay: ${againAfter}s, ${againAfter + secondsOf(first)}s; animation-iteration-count: 1, infinite;
  animation-fill-mode: forwards, none; }
.ended { top: 0; left: 0; width: 100vw; z-index: 4; animation-duration: ${secondsOf(ended)}s;
  animation-delay: ${againAfter}s; animation-fill-mode: forwards; }
${[0, 1].flatMap((i) => [rising(`again${i}`, first, atFirst), rising(`round${i}`, [round], atFirst + firstCount), rising(`ended${i}`, ended, atFirst)]).join('\n')}
`;

/** Lets the frames count from now on: another name begins anew. @param word - the number of the word that came */
export const beginAnew = (word: number): string => `<style>${names(word % 2)}</style>`;

const frameHead = (rules: readonly string[]) => `<!doctype html><base href="/screen/picture/"><style>
html, body { margin: 0; overflow: hidden; cursor: none; }
${rules.join('\n')}
</style>`;

/** So many pictures lie over each other: that of a step, that of the one before, and what they are laid over next. */
const layers = 3;

/**
 * Pictures at their times, each laid over the one before: as a stream, which goes on by itself where a browser can show one, and
 * as a single one under it where it cannot. What cannot be had leaves what is there.
 *
 * @see Media Queries Level 3, section 4.2
 */
export function againFrame({ width, height }: WallSize): string {
  const size = `width=${width}&height=${height}`;
  const pictures = (step: number) => `background-image:url(live?again=${step}&${size}),url(now?again=${step}&${size})`;
  const rule = (from: number, to: number, step: number, level: number) =>
    `@media (min-height:${from - 0.5}px) and (max-height:${to + 0.5}px){#b${step % layers}{z-index:${level};${pictures(step)}}}`;
  const steps = Array.from({ length: firstCount + round.count }, (_, step) =>
    rule(atFirst + step, atFirst + step + 1, step, step + 1),
  );
  // The next round begins over the last picture of the one before.
  const begins = atFirst + firstCount;
  steps.push(rule(begins, begins, steps.length - 1, 0));
  const shape = `b { position: absolute; top: 0; left: 0; width: 100vw; height: ${(height / width) * 100}vw;
  background: no-repeat 0 0 / 100% 100%; }`;
  const all = Array.from({ length: layers }, (_, i) => `<b id="b${i}"></b>`);
  return `${frameHead([shape, ...steps])}${all.join('')}`;
}

/**
 * Asks whether the key still counts. The word that it does not is laid over everything, and stays, also where the network goes
 * after that.
 */
export function endedFrame(): string {
  const count = countOf(ended);
  const rules = Array.from(
    { length: count },
    (_, i) => `@media (min-height:${atFirst + i - 0.5}px){i:nth-of-type(${i + 1}){background-image:url(closed?${i})}}`,
  );
  const shape = `i { position: absolute; top: 0; left: 0; width: 100vw; height: ${atFirst}px; background: no-repeat 0 0 / 100% 100%; }`;
  return `${frameHead([shape, ...rules])}${'<i></i>'.repeat(count)}`;
}

/** What that frame is given for a key that was ended. */
export const closedSvg = `<svg xmlns="http://www.w3.org/2000/svg" width="100%" height="100%">
<rect width="100%" height="100%" fill="${light.paper}"/>
<text x="50%" y="160" text-anchor="middle" font-family="sans-serif" font-size="32" fill="${light.quiet}">This screen is unpaired.</text>
</svg>
`;

const shown = (ratio: number) => String(Number(ratio.toFixed(4)));

/**
 * Both frames of a page, the one where its pictures lie, the other over everything. What they show stands in the page itself,
 * so that they are there when the network is not; browsers that do not know of that fetch them.
 *
 * @param number - from 1, where the size turns out to be another
 * @param size - of the pictures that are asked for
 */
export function framesHtml(number: number, size: WallSize): string {
  const { width, height } = size;
  const [wide, high] = [width / height, height / width];
  const frame = (name: string, src: string, content: string) =>
    `<iframe class="${name} f${number}" scrolling="no" tabindex="-1" aria-hidden="true" src="/screen/picture/${escapeHtml(src)}" srcdoc="${escapeHtml(content)}"></iframe>`;
  return `<style>${number > 1 ? `.f${number - 1}{display:none}` : ''}
.again{width:100vw;left:0;top:calc(50vh - ${shown(50 * high)}vw)}
.since{bottom:calc(50.7vh - ${shown(50 * high)}vw)}
@media (min-aspect-ratio:${width}/${height}){
.again{width:${shown(100 * wide)}vh;left:calc(50vw - ${shown(50 * wide)}vh);top:0}
.since{bottom:0.7vh}
}
</style>
${frame('again', `again?width=${width}&height=${height}`, againFrame(size))}
${frame('ended', 'ended', endedFrame())}
`;
}
