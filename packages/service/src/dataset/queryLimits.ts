import { openQuestions, type CellDialect, type ColumnType } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import type { FileColumn } from './csvFile.ts';

/** @throws {Refusal} `FILE_AMBIGUOUS`: what cells mean hangs on something that nobody said */
export function checkQueryLimits(
  found: readonly FileColumn[],
  types: ReadonlyMap<string, ColumnType>,
  dialect: CellDialect,
): void {
  const [question, ...more] = openQuestions(found, types, dialect);
  if (question === undefined) return;
  const { value, row } = question.cell;
  throw new Refusal('FILE_AMBIGUOUS', `Row ${row} of column “${question.columns[0]!}”: “${value}” is ambiguous.`, {
    pointer: question.about,
    word: value,
    problems: [question, ...more].flatMap((one) =>
      one.columns.map((at) => ({
        at,
        message: `“${one.cell.value}” is ${one.readings.map(({ say, as }) => `${as} with ${one.about} ${say}`).join(', ')}`,
      })),
    ),
    hint: `Set it (${question.about}): ${question.readings.map((one) => one.say).join(' or ')}.`,
  });
}
