import { parametersSet } from '@underbell/core/burst';
import type { ReportUse } from '@underbell/core/report';
import { listBoards } from '../board/store.ts';
import { listBursts } from '../burst/store.ts';
import { listPlacements } from '../place/store.ts';
import type { App } from '../platform/index.ts';

/** Everything that shows or sends a part of a report and follows its current edition. */
export async function usesOf(app: App, report: string): Promise<ReportUse[]> {
  const [placements, bursts, boards] = await Promise.all([
    listPlacements(app, report),
    listBursts(app),
    listBoards(app),
  ]);
  return [
    ...placements
      .filter((one) => one.editionNumber === null)
      .map((one) => ({
        user: `placement ${one.name}`,
        parameters: Object.keys(one.parameters),
        ...(one.page === null ? {} : { page: one.page }),
      })),
    ...bursts
      .map((one) => one.definition)
      .filter((one) => one.report === report)
      .map((one) => ({
        user: `burst ${one.name}`,
        parameters: parametersSet(one),
        ...(one.page === undefined ? {} : { page: one.page }),
      })),
    ...boards.flatMap((board) =>
      board.definition.figures
        .filter((one) => one.report === report)
        .map((one) => ({
          user: `board ${board.name}`,
          page: one.page,
          figure: one.figure,
          parameters: Object.keys(one.parameters ?? {}),
        })),
    ),
  ];
}
