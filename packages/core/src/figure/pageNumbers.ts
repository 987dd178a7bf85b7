import type { FormatOptions } from '../format/index.ts';
import type { FigureResult, Page } from '../report/index.ts';
import { numberText } from './numberText.ts';

/** What the number figures of a page say, in words; the shape that letters are written from. */
export function pageNumbers(scene: {
  readonly title: string;
  readonly page: Page;
  readonly results: ReadonlyMap<string, FigureResult>;
  readonly taste: FormatOptions;
  readonly limits: readonly string[];
}) {
  const { title, page, results, taste, limits } = scene;
  const numbers = page.figures.flatMap((figure) => {
    const result = results.get(figure.name);
    if (figure.kind !== 'number' || !result) return [];
    const { value, unit, beside: own, comparison } = numberText(figure, result, taste);
    const beside = [comparison?.text, own].filter((one) => one !== undefined).join('; ');
    return [{ title: figure.title, value: unit === '' ? value : `${value} ${unit}`, ...(beside ? { beside } : {}) }];
  });
  return { title, page: page.title, numbers, limits };
}
