import { screenGrid, screenParts } from '@underbell/core/screen';
import type { ViewResponse } from '@underbell/core/view';
import { element, figureBody } from './figure.ts';

/** A slot that is drawn and may be shown: its sheets take turns. */
export interface Drawn {
  readonly node: HTMLElement;
  readonly sheets: readonly HTMLElement[];
  /** When its rows were loaded; null where it shows none. */
  readonly asOf: number | null;
  /** What it does when its turn comes, and when it is gone. */
  readonly onShown?: () => void;
  readonly onGone?: () => void;
}

export const fontPx = (): number => parseFloat(getComputedStyle(document.documentElement).fontSize);

/** When the oldest of its rows were loaded. */
export function asOfIn(answer: ViewResponse): number | null {
  const all = answer.datasets.map((one) => Date.parse(one.loadedAt)).filter(Number.isFinite);
  return all.length === 0 ? null : Math.min(...all);
}

/**
 * Draws a page for the wall, unseen: laid out for its size, not shrunk to it. Where it does not fit at a size that is read
 * from afar, it is several sheets.
 *
 * @param stage - that it is measured in; it stays invisible there until it is shown, and is called `drawing` until it is done
 * @param onProblem - told of a figure that cannot be drawn; the others are
 */
export async function drawPage(
  stage: HTMLElement,
  answer: ViewResponse,
  title: string | undefined,
  onProblem: (error: unknown) => void,
): Promise<Drawn> {
  const { clientWidth: width, clientHeight: height } = stage;
  const figures = answer.page.figures.filter((one) => one.kind !== 'picker');
  const wall = screenGrid({ width, height });
  const { columns } = wall;
  const all = screenParts(figures, wall);
  const heading = element('h1', '', title ?? answer.title);
  if (title === undefined && answer.pages.length > 1) heading.append(element('small', '', ` ${answer.page.title}`));
  const limits = [
    ...new Set(
      answer.datasets.flatMap((one) =>
        one.limits.filter((limit) => limit.origin === 'placement').map((limit) => limit.words),
      ),
    ),
  ];
  const head = element(
    'header',
    '',
    heading,
    ...(limits.length > 0 ? [element('p', 'limits', limits.join(' · '))] : []),
  );
  const node = element('section', 'slot drawing', head);
  stage.append(node);
  const sheets: HTMLElement[] = [];
  const size = fontPx();
  for (const sheet of all) {
    const grid = element('div', 'sheet');
    grid.style.gridTemplateColumns = `repeat(${columns}, minmax(0, 1fr))`;
    grid.style.gridTemplateRows = `repeat(${sheet.rows}, minmax(0, 1fr))`;
    node.append(grid);
    sheets.push(grid);
    const boxes = sheet.figures.map(({ figure, at }) => {
      const body = element('div', 'body');
      const box = element('article', figure.kind, element('h2', '', figure.title), body);
      box.style.gridArea = `${at.row} / ${at.column} / span ${at.height} / span ${at.width}`;
      grid.append(box);
      return { figure, body };
    });
    for (const { figure, body } of boxes) {
      try {
        const parts = await figureBody(figure, answer, { box: body.getBoundingClientRect(), fontPx: size });
        body.append(...parts);
      } catch (error) {
        // One figure that cannot be drawn takes no other with it.
        body.append(element('p', 'empty', 'Figure cannot be displayed.'));
        onProblem(error);
      }
    }
    grid.hidden = sheets.length > 1;
  }
  node.classList.remove('drawing');
  return { node, sheets, asOf: asOfIn(answer) };
}

/** Words alone, as large as they may be. */
export function drawWords(
  stage: HTMLElement,
  text: string,
  title: string | undefined,
  asOf: number | null = null,
): Drawn {
  const words = element('p', `words ${text.length > 160 ? 'long' : ''}`, text);
  const node = element('section', 'slot', ...(title ? [element('header', '', element('h1', '', title))] : []), words);
  stage.append(node);
  return { node, sheets: [], asOf };
}
