import { andMore, Refusal, type Problem, type RefusalCode } from '../refusal/index.ts';

/** What happens to a table of which rows are invalid. */
export const invalidRowActions = ['reject', 'skip'] as const;
export type InvalidRowAction = (typeof invalidRowActions)[number];

/** Rows that a table was taken without. */
export interface SkippedRows {
  /** How many. */
  readonly rows: number;
  /** What is wrong with the first of them. */
  readonly problems: readonly Problem[];
}

const shownProblems = 100;

/**
 * Decides over a table of which rows are invalid.
 *
 * @param rows - how many there are, and how many of them are valid
 * @returns what is skipped; nothing where all rows are valid
 * @throws {Refusal} of the code given, where rows are rejected, or no valid row is left
 */
export function settleInvalidRows(
  code: RefusalCode,
  rows: { readonly all: number; readonly valid: number },
  problems: readonly Problem[],
  action: InvalidRowAction,
): SkippedRows | undefined {
  const [first] = problems;
  if (first === undefined) return undefined;
  if (action === 'skip' && rows.valid > 0)
    return { rows: rows.all - rows.valid, problems: problems.slice(0, shownProblems) };
  throw new Refusal(code, `${first.at}: ${first.message}${andMore(problems.length - 1)}`, {
    pointer: first.at,
    hint:
      first.hint ??
      (action === 'reject' ? 'Correct the rows, or skip invalid rows.' : 'Every row is invalid. Correct them first.'),
    problems: problems.slice(0, shownProblems),
  });
}
