import { Refusal } from '../refusal/index.ts';
import type { Figure } from './definition.ts';

/** The columns that a figure opens into, the first one being what it shows before anything is opened. */
export function drillLevels(figure: Figure): readonly string[] {
  return figure.kind === 'bar' ? [figure.by, ...(figure.drill ?? [])] : [];
}

/**
 * A figure as it stands after so many marks were opened.
 *
 * @param depth - how many marks the reader went through
 * @throws {Refusal} `FIGURE_UNKNOWN`: nothing opens there
 */
export function drilledFigure<T extends Figure>(figure: T, depth: number): T {
  if (depth === 0) return figure;
  const levels = drillLevels(figure);
  if (depth < levels.length) {
    const {
      split: _split,
      each: _each,
      step: _step,
      ...rest
    } = figure as T & { split?: string; each?: string; step?: string };
    return { ...rest, by: levels[depth] } as unknown as T;
  }
  throw new Refusal('FIGURE_UNKNOWN', `Figure “${figure.name}” has no further drill level.`, {
    word: figure.name,
    ...(levels.length > 1 ? { hint: `Drill levels: ${levels.slice(1).join(', then ')}.` } : {}),
  });
}
