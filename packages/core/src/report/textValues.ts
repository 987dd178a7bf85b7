import { formatCell, missingMark, type FormatOptions } from '../format/index.ts';
import type { FigureResult } from './result.ts';
import { slot } from './textSlots.ts';

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
  taste: FormatOptions,
): string {
  return text.replaceAll(slot, (_, parameter: string | undefined, name: string) => {
    if (parameter !== undefined) return parameters[name] ?? missingMark;
    const at = result?.columns.findIndex((one) => one.name === name) ?? -1;
    const column = result?.columns[at];
    if (!column) return missingMark;
    return `${formatCell(result!.rows[0]?.[at], column, taste)}${column.unit ? ` ${column.unit}` : ''}`;
  });
}
