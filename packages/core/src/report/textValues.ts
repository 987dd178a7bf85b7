import { formatCell, missingMark, type ReaderTaste } from '../format/index.ts';
import type { FigureResult } from './result.ts';

const slot = /\{(param:)?([a-z][a-z0-9_]*)\}/g;

const namesIn = (text: string, isParameter: boolean): string[] => [
  ...new Set(
    [...text.matchAll(slot)].filter((match) => (match[1] !== undefined) === isParameter).map((match) => match[2]!),
  ),
];

/** The measures that a text shows: `{sailings}`. */
export const measuresIn = (text: string): string[] => namesIn(text, false);
/** The parameters that a text shows: `{param:month}`. */
export const parametersIn = (text: string): string[] => namesIn(text, true);

/**
 * Puts values into a text's places.
 *
 * @param result - the answer with the text's measures; none for a text of parameters alone
 * @param parameters - what each parameter is set to, in words
 */
export function fillText(
  text: string,
  result: FigureResult | undefined,
  parameters: Readonly<Record<string, string>>,
  taste: ReaderTaste,
): string {
  return text.replaceAll(slot, (_, parameter: string | undefined, name: string) => {
    if (parameter !== undefined) return parameters[name] ?? missingMark;
    const at = result?.columns.findIndex((one) => one.name === name) ?? -1;
    const column = result?.columns[at];
    if (!column) return missingMark;
    return `${formatCell(result!.rows[0]?.[at], column, taste)}${column.unit ? ` ${column.unit}` : ''}`;
  });
}
