import { canonicalCell } from '../dataset/index.ts';
import { Refusal } from '../refusal/index.ts';

/** A day as people write it; dots stand between day, month and year in no other order. */
const readDay = (cell: string): string | undefined =>
  canonicalCell(cell, 'date', cell.includes('.') ? { dates: 'day-month-year' } : {});

/**
 * Days out of lines of text: one in a line with its name beside it, several in a line, headings above them.
 *
 * @returns `YYYY-MM-DD`, ascending, each once
 * @throws {Refusal} `FILE_MALFORMED` for a line that begins with no day, naming it; `FILE_EMPTY` where there is no day
 */
export function readDayLines(text: string): string[] {
  const days = text
    .replace(/^\ufeff/, '')
    .split(/\r?\n/)
    .flatMap((line, index) => {
      const cells = line.split(/[;,\t|]/).map((cell) => cell.trim().replace(/^"(.*)"$/, '$1'));
      const parts = cells.length === 1 ? line.trim().split(/\s+/) : cells;
      const [first, ...others] = parts.map(readDay);
      if (first !== undefined) return [first, ...others.flatMap((day) => day ?? [])];
      const isHeading = index === 0 && !/\d/.test(line);
      if (isHeading || line.trim() === '') return [];
      throw new Refusal(
        'FILE_MALFORMED',
        `Line ${index + 1} does not start with a day: “${line.trim().slice(0, 60)}”.`,
        {
          pointer: `line ${index + 1}`,
          hint: 'Write days like 2026-12-25, one per line. A name can follow.',
        },
      );
    });
  if (days.length === 0)
    throw new Refusal('FILE_EMPTY', 'The text has no days.', { hint: 'Write days like 2026-12-25, one per line.' });
  return [...new Set(days)].sort();
}
