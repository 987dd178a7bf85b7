import {
  columnLabel,
  valueTypeOf,
  type DatasetColumn,
  type DatasetShape,
  type DateStep,
  type ValueType,
} from '../dataset/index.ts';
import { checkMeasure, parseFilter, type TypedNode } from '../filter/index.ts';
import { isRefusal, Refusal } from '../refusal/index.ts';
import { calculationsOf, type Calculation } from './calculation.ts';
import type { DataFigure, Figure, IncompletePeriods, Measure, ReferenceLine, ReportDefinition } from './definition.ts';
import { measuresIn } from './textSlots.ts';

/** What one column of a figure's answer is, for drawing and formatting. */
export interface ResultColumn {
  readonly name: string;
  readonly label: string;
  readonly type: ValueType;
  readonly role: 'group' | 'measure' | 'cell';
  readonly format?: string;
  readonly unit?: string;
  /** Dates are the first days of stretches of this length. */
  readonly step?: DateStep;
  /** How it follows from other columns of the answer, where it does. */
  readonly calculation?: Calculation;
}

export type QueryColumn = ResultColumn & { readonly node: TypedNode };

interface Order {
  readonly column: string;
  readonly descending: boolean;
}

/** What a figure asks of its dataset, ready to be compiled; frozen data, no text of SQL. */
export interface FigureQuery {
  readonly dataset: string;
  readonly columns: readonly QueryColumn[];
  readonly isGrouped: boolean;
  readonly order: readonly Order[];
  readonly limit: number;
  /** So many rows are passed over first. */
  readonly offset?: number;
  /** One row of everything that is not in the first groups of this query. */
  readonly beyond?: FigureQuery;
}

/** Everything that one figure asks: its rows, and what is computed over other groupings of them. */
export interface FigurePlan {
  readonly main: FigureQuery;
  /** Coarser groupings: sum lines, and the totals of a crosstab. Never summed up from parts. */
  readonly sums: readonly FigureQuery[];
  readonly others?: FigureQuery;
  readonly trend?: FigureQuery;
  readonly lines?: FigureQuery;
  /** The first and last day of the rows of each period that a chart or a trend has. */
  readonly ends?: FigureQuery;
}

/** More than this never leaves in one answer. */
export const maxFigureRows = 5000;
const defaultBars = 30;
const defaultTableRows = 200;
const defaultPoints = 200;
const defaultCrosstabRows = 100;
const trendPoints = 400;

function groupColumn(column: DatasetColumn, role: 'group' | 'cell', step?: DateStep): QueryColumn {
  const type = valueTypeOf(column.type);
  return {
    name: column.name,
    label: columnLabel(column),
    type,
    role,
    ...(column.format ? { format: column.format } : {}),
    ...(column.unit ? { unit: column.unit } : {}),
    ...(step && type === 'date' ? { step } : {}),
    node: { kind: 'column', type, column },
  };
}

/** A column that a mask keeps from the viewer. */
export function columnHidden(dataset: string, column: string): Refusal {
  return new Refusal('COLUMN_HIDDEN', `You do not have access to column “${column}” of dataset “${dataset}”.`, {
    word: column,
  });
}

function findColumn(dataset: DatasetShape, name: string): DatasetColumn {
  const column = dataset.columns.find((one) => one.name === name);
  if (column) return column;
  throw columnHidden(dataset.name, name);
}

function checkedMeasure(measure: Measure, dataset: DatasetShape): TypedNode {
  try {
    return checkMeasure(parseFilter(measure.expression), { dataset, text: measure.expression });
  } catch (error) {
    // A published measure names only columns of its dataset; one that is not there is masked.
    if (isRefusal(error, 'FILTER_UNKNOWN_COLUMN')) throw columnHidden(dataset.name, error.details.word ?? '');
    throw error;
  }
}

function measureColumn(name: string, measure: Measure, dataset: DatasetShape): QueryColumn {
  const node = checkedMeasure(measure, dataset);
  return {
    name,
    label: measure.label,
    type: node.type,
    role: 'measure',
    ...(measure.format ? { format: measure.format } : {}),
    ...(measure.unit ? { unit: measure.unit } : {}),
    node,
  };
}

/** What the planning of every kind of figure starts from. */
class Planner {
  readonly #report: ReportDefinition;
  readonly #dataset: DatasetShape;

  constructor(report: ReportDefinition, dataset: DatasetShape) {
    this.#report = report;
    this.#dataset = dataset;
  }

  has(name: string): boolean {
    return this.#dataset.columns.some((one) => one.name === name);
  }

  hidden(name: string): Refusal {
    return columnHidden(this.#dataset.name, name);
  }

  group(name: string, step?: DateStep, role: 'group' | 'cell' = 'group'): QueryColumn {
    return groupColumn(findColumn(this.#dataset, name), role, step);
  }

  measures(names: readonly (string | undefined)[]): QueryColumn[] {
    const wanted = [...new Set(names.filter((name) => name !== undefined))];
    return wanted.map((name) => measureColumn(name, this.#report.measures[name]!, this.#dataset));
  }

  query(columns: readonly QueryColumn[], rest: Partial<Omit<FigureQuery, 'columns'>> = {}): FigureQuery {
    return { dataset: this.#dataset.name, isGrouped: true, order: [], limit: 1, ...rest, columns };
  }

  /** The measures of a query over fewer of its groups. */
  sums(of: FigureQuery, groups: readonly string[]): FigureQuery {
    const columns = of.columns.filter((one) => one.role === 'measure' || groups.includes(one.name));
    return { ...of, columns, order: groups.map(rising), limit: groups.length === 0 ? 1 : of.limit };
  }

  /** Days have no parts, and a figure that shows incomplete periods as any need not know them. */
  ends(by: QueryColumn, how: IncompletePeriods | undefined): { ends?: FigureQuery } {
    if (by.step === undefined || by.step === 'day' || how === 'show') return {};
    const day = (name: 'min' | 'max'): QueryColumn => ({
      name: `${name} of ${by.name}`,
      label: by.label,
      type: 'date',
      role: 'measure',
      node: { kind: 'aggregate', type: 'date', name, arg: by.node },
    });
    return { ends: this.query([by, day('min'), day('max')], { order: [rising(by.name)], limit: maxFigureRows }) };
  }

  lines(lines: readonly ReferenceLine[] | undefined): FigureQuery | undefined {
    const columns = this.measures((lines ?? []).map((line) => (typeof line.at === 'string' ? line.at : undefined)));
    return columns.length === 0 ? undefined : this.query(columns);
  }
}

const rising = (column: string): Order => ({ column, descending: false });
const falling = (column: string): Order => ({ column, descending: true });

function planAxis(plan: Planner, figure: Extract<DataFigure, { kind: 'bar' | 'line' | 'area' }>): FigurePlan {
  const by = plan.group(figure.by, figure.step);
  const series = figure.split ?? figure.each;
  const groups = [by, ...(series ? [plan.group(series)] : [])];
  const lines = plan.lines(figure.lines);
  const rest = { sums: [], ...(lines ? { lines } : {}), ...plan.ends(by, figure.incompletePeriods) };
  if (figure.kind !== 'bar') {
    const measures = plan.measures(figure.measures);
    const order = groups.map((one) => rising(one.name));
    return { main: plan.query([...groups, ...measures], { order, limit: maxFigureRows }), ...rest };
  }
  const measures = plan.measures([figure.measure]);
  const isDate = by.type === 'date';
  const isByName = (figure.sort ?? (isDate ? 'name' : 'value')) === 'name';
  const isDown = !(figure.ascending ?? isByName);
  if (series) {
    const order = groups.map((one) => rising(one.name));
    return { main: plan.query([...groups, ...measures], { order, limit: maxFigureRows }), ...rest };
  }
  const order = isByName
    ? [isDown ? falling(figure.by) : rising(figure.by)]
    : [isDown ? falling(figure.measure) : rising(figure.measure), rising(figure.by)];
  const main = plan.query([by, ...measures], { order, limit: figure.limit ?? (isDate ? maxFigureRows : defaultBars) });
  return { main, ...rest, ...(figure.others ? { others: plan.query(measures, { beyond: main }) } : {}) };
}

function planTable(plan: Planner, figure: Extract<DataFigure, { kind: 'table' }>): FigurePlan {
  const isGrouped = (figure.measures?.length ?? 0) > 0;
  const isShown = (name: string) => plan.has(name) || figure.measures?.includes(name) === true;
  const shown = figure.columns.filter(isShown);
  if (shown.length === 0) throw plan.hidden(figure.columns[0]!);
  const levels = (figure.subtotals ?? []).filter((name) => shown.includes(name));
  const sort = (figure.sort ?? [])
    .filter((one) => isShown(one.by) && !levels.includes(one.by))
    .map((one) => ({ column: one.by, descending: one.descending ?? false }));
  // Rows of one sum line stand together, whatever the order inside.
  const order = [
    ...levels.map((name) => (figure.sort?.find((one) => one.by === name)?.descending ? falling(name) : rising(name))),
    ...sort,
  ];
  // Every column takes part, so that equal rows of a sort still come in one order everywhere.
  const rest = shown.filter((name) => !order.some((one) => one.column === name));
  const main = plan.query(
    [
      ...shown.map((name) => plan.group(name, undefined, isGrouped ? 'group' : 'cell')),
      ...plan.measures(figure.measures ?? []),
    ],
    { isGrouped, order: [...order, ...rest.map(rising)], limit: figure.limit ?? defaultTableRows },
  );
  const sums = [
    ...(isGrouped && figure.totals ? [plan.sums(main, [])] : []),
    ...(isGrouped ? levels.map((_, i) => plan.sums(main, levels.slice(0, i + 1))) : []),
  ];
  return { main, sums };
}

function planCrosstab(plan: Planner, figure: Extract<DataFigure, { kind: 'crosstab' }>): FigurePlan {
  const rows = figure.rows.map((name) => plan.group(name));
  const across = plan.group(figure.across, figure.step);
  const order = [...figure.rows, figure.across].map(rising);
  const main = plan.query([...rows, across, ...plan.measures([figure.measure])], { order, limit: maxFigureRows });
  const sums = figure.totals
    ? [plan.sums(main, figure.rows), plan.sums(main, [figure.across]), plan.sums(main, [])]
    : [];
  return { main, sums };
}

/** Whether a figure asks a dataset at all: a picker does not, nor a text without values. */
export function asksData(figure: Figure): figure is DataFigure {
  return figure.kind === 'text' ? measuresIn(figure.text).length > 0 : figure.kind !== 'picker';
}

/** How many rows of a crosstab are shown. */
export const crosstabRows = (figure: { readonly limit?: number }): number => figure.limit ?? defaultCrosstabRows;

/**
 * What a figure of a validated report asks of its dataset.
 *
 * @param dataset - as its viewer knows it: a table leaves hidden columns out, everything else refuses
 * @throws {Refusal} `COLUMN_HIDDEN`
 */
export function planFigure(report: ReportDefinition, figure: DataFigure, dataset: DatasetShape): FigurePlan {
  const plan = new Planner(report, dataset);
  switch (figure.kind) {
    case 'number': {
      const { compare, trend, measure } = figure;
      const target = compare?.with === 'target' && typeof compare.target === 'string' ? compare.target : undefined;
      const main = plan.query(plan.measures([measure, figure.beside, target]));
      if (!trend) return { main, sums: [] };
      const along = plan.group(trend.along, trend.step);
      const columns = [along, ...plan.measures([measure])];
      return {
        main,
        sums: [],
        trend: plan.query(columns, { order: [rising(trend.along)], limit: trendPoints }),
        ...plan.ends(along, figure.incompletePeriods),
      };
    }
    case 'bar':
    case 'line':
    case 'area':
      return planAxis(plan, figure);
    case 'scatter': {
      const columns = [plan.group(figure.by), ...plan.measures([figure.x, figure.y, figure.size])];
      const lines = plan.lines(figure.lines);
      const order = [falling(figure.size ?? figure.x), rising(figure.by)];
      return {
        main: plan.query(columns, { order, limit: figure.limit ?? defaultPoints }),
        sums: [],
        ...(lines ? { lines } : {}),
      };
    }
    case 'table':
      return planTable(plan, figure);
    case 'crosstab':
      return planCrosstab(plan, figure);
    case 'text':
      return { main: plan.query(plan.measures(measuresIn(figure.text))), sums: [] };
  }
}

/** The columns as the answer shows them, without the expressions behind. */
export function resultColumns(query: FigureQuery): ResultColumn[] {
  const calculations = calculationsOf(query.columns);
  return query.columns.map(({ node: _node, ...column }, i) => {
    const calculation = calculations[i];
    return calculation ? { ...column, calculation } : column;
  });
}

/** The earlier period that a figure is compared with; nothing for one that is not, or with a target. */
export function comparedWith(figure: DataFigure): 'period before' | 'year before' | undefined {
  const how = 'compare' in figure ? figure.compare?.with : undefined;
  return how === 'target' ? undefined : how;
}

/** How an earlier period of a figure is asked for. Bars are matched by name: those beyond the limit now may have been within it then. */
export function planEarlier(report: ReportDefinition, figure: DataFigure, dataset: DatasetShape): FigurePlan {
  const { main } = planFigure(report, figure, dataset);
  return { main: { ...main, limit: main.limit > 1 ? 1000 : 1 }, sums: [] };
}
