import { columnLabel, valueTypeOf, type DatasetColumn, type DatasetShape, type ValueType } from '../dataset/index.ts';
import { checkMeasure, parseFilter, type TypedNode } from '../filter/index.ts';
import { isRefusal, Refusal } from '../refusal/index.ts';
import type { DataFigure, Measure, ReportDefinition } from './definition.ts';

/** What one column of a figure's answer is, for drawing and formatting. */
export interface ResultColumn {
  readonly name: string;
  readonly label: string;
  readonly type: ValueType;
  readonly role: 'group' | 'measure' | 'cell';
  readonly format?: string;
  readonly unit?: string;
}

/** What a figure asks of its dataset, ready to be compiled; frozen data, no text of SQL. */
export interface FigureQuery {
  readonly dataset: string;
  readonly columns: readonly (ResultColumn & { readonly node: TypedNode })[];
  readonly isGrouped: boolean;
  readonly order: readonly { readonly column: string; readonly descending: boolean }[];
  readonly limit: number;
}

/** More than this never leaves in one answer. */
export const maxFigureRows = 1000;
const defaultBars = 30;
const defaultTableRows = 200;

function cellColumn(column: DatasetColumn, role: 'group' | 'cell') {
  const type = valueTypeOf(column.type);
  return {
    name: column.name,
    label: columnLabel(column),
    type,
    role,
    ...(column.format ? { format: column.format } : {}),
    ...(column.unit ? { unit: column.unit } : {}),
    node: { kind: 'column', type, column } as TypedNode,
  };
}

/** A column that a mask keeps from the viewer. */
export function columnHidden(dataset: string, column: string): Refusal {
  return new Refusal('COLUMN_HIDDEN', `\`${column}\` of \`${dataset}\` is not shown to you`, { word: column });
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

function measureColumn(name: string, measure: Measure, dataset: DatasetShape) {
  const node = checkedMeasure(measure, dataset);
  return {
    name,
    label: measure.label,
    type: node.type,
    role: 'measure' as const,
    ...(measure.format ? { format: measure.format } : {}),
    ...(measure.unit ? { unit: measure.unit } : {}),
    node,
  };
}

/**
 * What a figure of a validated report asks of its dataset.
 *
 * @param dataset - as its viewer knows it: a table leaves hidden columns out, everything else refuses
 * @throws {Refusal} `COLUMN_HIDDEN`
 */
export function planFigureQuery(report: ReportDefinition, figure: DataFigure, dataset: DatasetShape): FigureQuery {
  const column = (name: string) => findColumn(dataset, name);
  const measure = (name: string) => measureColumn(name, report.measures[name]!, dataset);
  const base = { dataset: dataset.name, isGrouped: true };
  switch (figure.kind) {
    case 'number':
      return {
        ...base,
        columns: [figure.measure, ...(figure.beside ? [figure.beside] : [])].map(measure),
        order: [],
        limit: 1,
      };
    case 'bar': {
      const order = figure.sort === 'name' ? [] : [{ column: figure.measure, descending: true }];
      return {
        ...base,
        columns: [cellColumn(column(figure.by), 'group'), measure(figure.measure)],
        order: [...order, { column: figure.by, descending: false }],
        limit: figure.limit ?? defaultBars,
      };
    }
    case 'line':
      return {
        ...base,
        columns: [cellColumn(column(figure.by), 'group'), ...figure.measures.map(measure)],
        order: [{ column: figure.by, descending: false }],
        limit: maxFigureRows,
      };
    case 'table': {
      const isGrouped = (figure.measures?.length ?? 0) > 0;
      const isShown = (name: string) =>
        dataset.columns.some((one) => one.name === name) || figure.measures?.includes(name) === true;
      const shown = figure.columns.filter(isShown);
      if (shown.length === 0) throw columnHidden(dataset.name, figure.columns[0]!);
      const sort = (figure.sort ?? [])
        .filter((one) => isShown(one.by))
        .map((one) => ({ column: one.by, descending: one.descending ?? false }));
      const rest = shown.filter((name) => !sort.some((one) => one.column === name));
      return {
        ...base,
        isGrouped,
        columns: [
          ...shown.map((name) => cellColumn(column(name), isGrouped ? 'group' : 'cell')),
          ...(figure.measures ?? []).map(measure),
        ],
        // Every column takes part, so that equal rows of a sort still come in one order everywhere.
        order: [...sort, ...rest.map((name) => ({ column: name, descending: false }))],
        limit: figure.limit ?? defaultTableRows,
      };
    }
  }
}

/** The columns as the answer shows them, without the expressions behind. */
export function resultColumns(query: FigureQuery): ResultColumn[] {
  return query.columns.map(({ node: _node, ...column }) => column);
}
