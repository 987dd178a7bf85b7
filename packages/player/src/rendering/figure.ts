import { chartInWords, chartOption, toneSigns } from '@underbell/core/chart';
import { numberText, textTable } from '@underbell/core/figure';
import { fillText, type ChartFigure, type FigureResult, type NumberFigure } from '@underbell/core/report';
import { light } from '@underbell/core/theme';
import type { ViewResponse, ViewedFigure } from '@underbell/core/view';

type Parts = readonly (Node | string)[];

export function element(tag: string, name: string, ...parts: Parts): HTMLElement {
  const one = document.createElement(tag);
  if (name) one.className = name;
  one.append(...parts);
  return one;
}

/** Charts are built for eyes at a desk: they are laid out smaller by this, and enlarged as a drawing. */
export const chartFont = 12;

function numberBody(figure: NumberFigure, result: FigureResult, answer: ViewResponse): Node[] {
  const shown = numberText(figure, result, answer.taste);
  const value = element('p', `value ${shown.tone ?? ''}`, shown.value);
  if (shown.unit) value.append(element('span', 'unit', ` ${shown.unit}`));
  if (shown.tone) value.append(element('span', 'sign', ` ${toneSigns[shown.tone]}`));
  const lines: Node[] = [value];
  if (shown.comparison)
    lines.push(
      element('p', `beside ${shown.comparison.tone ?? ''}`, `${shown.comparison.sign} ${shown.comparison.text}`),
    );
  if (shown.beside) lines.push(element('p', 'beside', shown.beside));
  return lines;
}

/** As many lines as there is room for, and how many more there are: nothing scrolls on a wall. */
function tableBody(figure: ViewedFigure, result: FigureResult, answer: ViewResponse, room: number): Node[] {
  const table = textTable(figure as never, result, answer.taste);
  const foot = table.foot ? 1 : 0;
  const most = Math.max(1, Math.floor(room) - 1 - foot);
  const isTooLong = table.lines.length > most;
  const shown = isTooLong ? table.lines.slice(0, Math.max(1, most - 1)) : table.lines;
  const left = table.lines.length - shown.length;
  const row = (tag: string, cells: readonly { text: string; tone?: string }[], name = '') =>
    element(
      'tr',
      name,
      ...cells.map((cell, i) =>
        element(tag, `${table.headings[i]?.isNumber ? 'figures' : ''} ${cell.tone ?? ''}`, cell.text),
      ),
    );
  const grid = element('table', '');
  grid.append(
    element(
      'thead',
      '',
      row(
        'th',
        table.headings.map((one) => ({ text: one.unit ? `${one.text} ${one.unit}` : one.text })),
      ),
    ),
  );
  grid.append(element('tbody', '', ...shown.map((line) => row('td', line.cells, line.kind))));
  if (table.foot) grid.append(element('tfoot', '', row('td', table.foot)));
  const more = isTooLong || table.isCut;
  return [grid, ...(more ? [element('p', 'more', left > 0 && !table.isCut ? `and ${left} more` : 'and more')] : [])];
}

async function chartBody(
  figure: ChartFigure,
  result: FigureResult,
  answer: ViewResponse,
  box: DOMRect,
  scale: number,
): Promise<Node[]> {
  const { chartSvg } = await import('./charts.ts');
  const size = { width: Math.floor(box.width / scale), height: Math.floor(box.height / scale) };
  if (size.width < 40 || size.height < 30) return [];
  const option = chartOption(figure, result, {
    theme: light,
    taste: answer.taste,
    ...size,
    isPrint: true,
    isStill: true,
  });
  const picture = element('div', 'chart');
  picture.innerHTML = chartSvg(option, size);
  picture.setAttribute('role', 'img');
  picture.setAttribute('aria-label', chartInWords(figure, result, answer.taste));
  const svg = picture.querySelector('svg');
  svg?.setAttribute('width', `${box.width}`);
  svg?.setAttribute('height', `${box.height}`);
  return [picture];
}

/**
 * What stands inside a figure of a wall.
 *
 * @param place - where it is drawn, in pixels; its font size there
 */
export async function figureBody(
  figure: ViewedFigure,
  answer: ViewResponse,
  place: { readonly box: DOMRect; readonly fontPx: number },
): Promise<Node[]> {
  const result = answer.results[figure.name];
  if (result?.refused) return [element('p', 'empty', `${result.refused.message}.`)];
  if (figure.kind === 'text') {
    const words = Object.fromEntries(answer.parameters.flatMap((one) => (one.words ? [[one.name, one.words]] : [])));
    return [element('p', 'text', fillText(figure.text, result, words, answer.taste))];
  }
  if (!result || figure.kind === 'picker') return [];
  if (figure.kind === 'number') return numberBody(figure as NumberFigure, result, answer);
  if (result.rows.length === 0) return [element('p', 'empty', 'No data')];
  const { box, fontPx } = place;
  if (figure.kind === 'table' || figure.kind === 'crosstab')
    return tableBody(figure, result, answer, box.height / (fontPx * 1.5));
  return chartBody(figure as ChartFigure, result, answer, box, fontPx / chartFont);
}
