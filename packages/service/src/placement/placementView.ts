import { figuresFor, pageFor } from '@underbell/core/placement';
import { findFigure, findPage, type Page, type ReportDefinition } from '@underbell/core/report';
import type { Edition } from '../report/index.ts';
import type { Place } from '../view/index.ts';
import type { Placement } from './models.ts';

/** A figure that stands alone has the whole width. */
const wholeWidth = 12;

/** What of a report is shown. */
type ShownPart = Pick<Placement, 'page' | 'figure' | 'look'>;

/** A report as far as a placement shows it: what is not in it cannot be asked for there. */
function definitionIn(report: ReportDefinition, { page: name, figure, look }: ShownPart): ReportDefinition {
  if (name === null)
    return { ...report, pages: report.pages.map((page) => ({ ...page, figures: figuresFor(page.figures, look) })) };
  const page = findPage(report, name);
  if (figure === null) return { ...report, pages: [pageFor(page, look)] };
  const { narrow: _narrow, ...rest } = page;
  const [alone] = figuresFor([findFigure(page, figure)], look) as [Page['figures'][number]];
  const at = { column: 1, row: 1, width: wholeWidth, height: alone.at.height };
  return { ...report, pages: [{ ...rest, title: alone.title, figures: [{ ...alone, at }] }] };
}

export const shownEdition = (edition: Edition, placement: ShownPart): Edition => ({
  ...edition,
  definition: definitionIn(edition.definition, placement),
});

/** What a placement sets for everybody who looks through it. */
export function placementInfo({
  name,
  title,
  kind,
  conditions,
  page,
  firstPage,
  look,
  swaps,
  writerId,
}: Placement): Place {
  const first = page ?? firstPage;
  return { name, title, kind, where: conditions, writerId, look, swaps, ...(first === null ? {} : { page: first }) };
}

/** The thing whose rights decide who sees it. */
export const shownResource = ({ reportName, boardName }: Pick<Placement, 'reportName' | 'boardName'>) =>
  reportName === null
    ? ({ kind: 'board', name: boardName! } as const)
    : ({ kind: 'report', name: reportName } as const);
