import type { Viewer } from '@underbell/core/access';
import type { BoardDefinition, BoardFigure } from '@underbell/core/board';
import { findFigure, findPage } from '@underbell/core/report';
import { momentOf, type App } from '../platform/index.ts';
import { findEdition } from '../report/index.ts';
import { fix, prepare, type Place, type PreparedView, type ViewRequest } from '../view/index.ts';

/**
 * One figure of a board, alone on its page, under the board's own fixed filter and values.
 *
 * @param around - the placement that the board is shown in
 */
export async function prepareBoardFigure(
  app: App,
  viewer: Viewer,
  { board, writerId }: { readonly board: BoardDefinition; readonly writerId: string | null },
  figure: BoardFigure,
  request: ViewRequest,
  around?: Place,
): Promise<PreparedView> {
  const edition = await findEdition(app, figure.report);
  const report = edition.definition;
  const page = findPage(report, figure.page);
  const alone = { ...page, figures: [findFigure(page, figure.figure)] };
  const { today } = momentOf(app);
  const pages = report.pages.map((one) => (one === page ? alone : one));
  return prepare(app, {
    viewer,
    edition: { ...edition, definition: { ...report, pages } },
    request: { ...request, page: figure.page },
    fixed: fix(report, figure.parameters ?? {}, 'placement', board.title, today),
    place: {
      name: board.title,
      where: figure.where ?? {},
      writerId,
      ...(around ? { around, ...(around.kind ? { kind: around.kind } : {}), swaps: around.swaps ?? {} } : {}),
    },
  });
}
