import { checkFilter, columnNamesIn, compilePredicate, parseFilter, type Cell } from '../filter/index.ts';
import type { DatasetShape } from '../dataset/index.ts';
import type { ColourRule, DataFigure, Tone } from './definition.ts';
import { incompletePeriods } from './incomplete.ts';
import { resultColumns, type FigurePlan, type FigureQuery, type ResultColumn } from './figureQuery.ts';

type Cells = readonly Cell[];

/** A figure's answer: cells in the order of the columns; numbers as doubles, dates as `YYYY-MM-DD`, instants in milliseconds. */
export interface FigureResult {
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly Cells[];
  /** There are more rows than the limit let through. */
  readonly isCut?: boolean;
  /** Sum lines: which columns they are grouped by, and their rows in the order of all columns. */
  readonly sums?: readonly { readonly by: readonly string[]; readonly rows: readonly Cells[] }[];
  /** Everything beyond the limit as one row. */
  readonly others?: Cells;
  /** First days of periods at the ends, of the rows or of the trend, that rows fill in part only; those left out as well. */
  readonly incomplete?: readonly string[];
  /** The measure along a date, for the small line beside a number. */
  readonly trend?: { readonly columns: readonly ResultColumn[]; readonly rows: readonly Cells[] };
  /** Reference lines with their values. */
  readonly lines?: readonly { readonly label: string; readonly value: number }[];
  /** The same rows an earlier period ago, and which it is. */
  readonly before?: { readonly words: string; readonly rows: readonly Cells[] };
  /** Why there is none, where the figure is to be compared with one. */
  readonly notCompared?: string;
  readonly tones?: readonly {
    readonly row: number;
    readonly column?: number;
    readonly tone: Tone;
    readonly words?: string;
  }[];
  /** Where a drilled figure stands: the marks it went through. */
  readonly path?: readonly { readonly column: string; readonly value: string }[];
  /** Why there is nothing: a mask keeps this figure from its viewer, or a filter does not fit it. */
  readonly refused?: { readonly code: string; readonly message: string; readonly hint?: string };
}

/** The rows of each query of a plan. */
export interface PlanRows {
  readonly main: readonly Cells[];
  readonly sums: readonly (readonly Cells[])[];
  readonly others?: readonly Cells[];
  readonly trend?: readonly Cells[];
  readonly lines?: readonly Cells[];
  readonly ends?: readonly Cells[];
}

/** The answer's columns as a dataset, for colour rules. */
export function answerShape(columns: readonly ResultColumn[]): DatasetShape {
  return { name: 'the answer', columns: columns.map(({ name, label, type }) => ({ name, label, type })) };
}

function tonesOf(columns: readonly ResultColumn[], rows: readonly Cells[], rules: readonly ColourRule[]) {
  const dataset = answerShape(columns);
  const at = (name: string) => columns.findIndex((one) => one.name === name);
  // A rule over a column that a mask hides colours nothing.
  const isThere = (name: string) => at(name) >= 0;
  const ready = rules
    .map((rule) => ({ rule, node: parseFilter(rule.when) }))
    .filter(({ rule, node }) => [...columnNamesIn(node), ...(rule.column ? [rule.column] : [])].every(isThere))
    .map(({ rule, node }) => ({
      rule,
      holds: compilePredicate(checkFilter(node, { dataset, text: rule.when }), at),
    }));
  return rows.flatMap((row, index) => {
    const taken = new Set<string | undefined>();
    return ready.flatMap(({ rule, holds }) => {
      if (taken.has(rule.column) || !holds(row)) return [];
      taken.add(rule.column);
      const words = rule.words === undefined ? {} : { words: rule.words };
      return [{ row: index, ...(rule.column ? { column: at(rule.column) } : {}), tone: rule.tone, ...words }];
    });
  });
}

function widen(query: FigureQuery, main: FigureQuery, row: Cells): Cell[] {
  return main.columns.map((column) => {
    const at = query.columns.findIndex((one) => one.name === column.name);
    return at < 0 ? null : (row[at] ?? null);
  });
}

function linesOf(figure: DataFigure, plan: FigurePlan, answers: PlanRows) {
  if (!('lines' in figure) || !figure.lines) return undefined;
  return figure.lines.flatMap(({ label, at }) => {
    if (typeof at === 'number') return [{ label, value: at }];
    const index = plan.lines?.columns.findIndex((one) => one.name === at) ?? -1;
    const value = answers.lines?.[0]?.[index];
    return typeof value === 'number' ? [{ label, value }] : [];
  });
}

const isOmitting = (figure: DataFigure) => 'incompletePeriods' in figure && figure.incompletePeriods === 'omit';

/** Puts the answers of a plan's queries together. */
export function assembleResult(figure: DataFigure, plan: FigurePlan, answers: PlanRows): FigureResult {
  const { main } = plan;
  const columns = resultColumns(main);
  const isCut = main.limit > 1 && answers.main.length > main.limit;
  const incomplete = plan.ends ? incompletePeriods(plan.ends.columns[0]!.step!, answers.ends ?? []) : [];
  const isOmitted = (row: Cells) => isOmitting(figure) && incomplete.includes(row[0] as string);
  const asked = isCut ? answers.main.slice(0, main.limit) : answers.main;
  const rows = plan.trend ? asked : asked.filter((row) => !isOmitted(row));
  const sums = plan.sums.map((query, i) => ({
    by: query.columns.filter((one) => one.role === 'group').map((one) => one.name),
    rows: (answers.sums[i] ?? []).map((row) => widen(query, main, row)),
  }));
  const others = plan.others && answers.others?.[0] ? widen(plan.others, main, answers.others[0]) : undefined;
  const lines = linesOf(figure, plan, answers);
  const rules = 'colours' in figure ? figure.colours : undefined;
  const tones = rules ? tonesOf(columns, rows, rules) : [];
  return {
    columns,
    rows,
    ...(isCut ? { isCut } : {}),
    ...(sums.length > 0 ? { sums } : {}),
    ...(others ? { others } : {}),
    ...(incomplete.length > 0 ? { incomplete } : {}),
    ...(plan.trend
      ? {
          trend: {
            columns: resultColumns(plan.trend),
            rows: (answers.trend ?? []).filter((row) => !isOmitted(row)),
          },
        }
      : {}),
    ...(lines ? { lines } : {}),
    ...(tones.length > 0 ? { tones } : {}),
  };
}
