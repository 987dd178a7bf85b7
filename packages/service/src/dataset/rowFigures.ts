import type { EffectiveFilter } from '@underbell/core/access';
import { StatementBinder, type Cell } from '@underbell/core/filter';
import {
  assembleResult,
  compileCountSql,
  compileFigureSql,
  type DataFigure,
  type FigurePlan,
  type FigureQuery,
  type FigureResult,
} from '@underbell/core/report';
import type { App } from '../platform/index.ts';
import { ask, refuseSmallGroups, rowsOf, tooSmall, type RowRequest } from './request.ts';

/** The rows of one query of a figure; equal questions of anybody are answered once. */
export async function answerQuery(
  app: App,
  request: RowRequest,
  query: FigureQuery,
): Promise<readonly (readonly Cell[])[]> {
  const binder = new StatementBinder();
  const { minRows } = request.filter.masking;
  const text = compileFigureSql(query, { rows: rowsOf(request, binder), binder, minRows });
  return ask(app, request, text, binder.values);
}

/** Sums over small groups could tell what the groups do not: where those are masked, there are none. */
export function shownPlan(plan: FigurePlan, filter: EffectiveFilter): FigurePlan {
  if (filter.masking.minRows <= 1) return plan;
  const { others: _others, ends: _ends, ...rest } = plan;
  return { ...rest, sums: [] };
}

/** Refuses a figure one of whose queries would tell of single rows. @throws {Refusal} `GROUPS_TOO_SMALL` */
export function refuseTelling(request: Pick<RowRequest, 'filter'>, { main, trend, lines }: FigurePlan): void {
  for (const query of [main, trend, lines]) if (query) refuseSmallGroups(request, query);
}

/** One figure's answer: all queries of its plan. */
export async function readFigure(
  app: App,
  request: RowRequest,
  figure: DataFigure,
  asked: FigurePlan,
): Promise<FigureResult> {
  const plan = shownPlan(asked, request.filter);
  refuseTelling(request, plan);
  const ask = (query: FigureQuery) => answerQuery(app, request, query);
  const [main, sums, others, trend, lines, ends] = await Promise.all([
    ask(plan.main),
    Promise.all(plan.sums.map(ask)),
    plan.others && ask(plan.others),
    plan.trend && ask(plan.trend),
    plan.lines && ask(plan.lines),
    plan.ends && ask(plan.ends),
  ]);
  const { minRows } = request.filter.masking;
  // Nothing is shown of an answer by several columns one of whose groups is small.
  if (minRows > 1 && main.length === 0 && plan.main.columns.filter((one) => one.role === 'group').length > 1)
    throw tooSmall(minRows);
  return assembleResult(figure, plan, {
    main,
    sums,
    ...(others ? { others } : {}),
    ...(trend ? { trend } : {}),
    ...(lines ? { lines } : {}),
    ...(ends ? { ends } : {}),
  });
}

/** One query's rows, such as a window of a long table. */
export async function readRows(
  app: App,
  request: RowRequest,
  query: FigureQuery,
): Promise<readonly (readonly Cell[])[]> {
  refuseSmallGroups(request, query);
  return (await answerQuery(app, request, query)).slice(0, query.limit);
}

/** How many rows a query has in all. */
export async function countQueryRows(app: App, request: RowRequest, query: FigureQuery): Promise<number> {
  refuseSmallGroups(request, query);
  const binder = new StatementBinder();
  const { minRows } = request.filter.masking;
  const text = compileCountSql(query, { rows: rowsOf(request, binder), binder, minRows });
  const [row] = await ask(app, request, text, binder.values);
  return row![0] as number;
}
