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
import { ask, refuseSmallGroups, rowsOf, type RowRequest } from './request.ts';

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
  const { others: _others, ...rest } = plan;
  return { ...rest, sums: [] };
}

/** One figure's answer: all queries of its plan. */
export async function readFigure(
  app: App,
  request: RowRequest,
  figure: DataFigure,
  asked: FigurePlan,
): Promise<FigureResult> {
  await refuseSmallGroups(app, request, asked.main.isGrouped);
  const plan = shownPlan(asked, request.filter);
  const ask = (query: FigureQuery) => answerQuery(app, request, query);
  const [main, sums, others, trend, lines] = await Promise.all([
    ask(plan.main),
    Promise.all(plan.sums.map(ask)),
    plan.others && ask(plan.others),
    plan.trend && ask(plan.trend),
    plan.lines && ask(plan.lines),
  ]);
  return assembleResult(figure, plan, {
    main,
    sums,
    ...(others ? { others } : {}),
    ...(trend ? { trend } : {}),
    ...(lines ? { lines } : {}),
  });
}

/** One query's rows, such as a window of a long table. */
export async function readRows(
  app: App,
  request: RowRequest,
  query: FigureQuery,
): Promise<readonly (readonly Cell[])[]> {
  await refuseSmallGroups(app, request, query.isGrouped);
  return (await answerQuery(app, request, query)).slice(0, query.limit);
}

/** How many rows a query has in all. */
export async function countQueryRows(app: App, request: RowRequest, query: FigureQuery): Promise<number> {
  await refuseSmallGroups(app, request, query.isGrouped);
  const binder = new StatementBinder();
  const { minRows } = request.filter.masking;
  const text = compileCountSql(query, { rows: rowsOf(request, binder), binder, minRows });
  const [row] = await ask(app, request, text, binder.values);
  return row![0] as number;
}
