export {
  gridColumns,
  reportFormat,
  type BarFigure,
  type DataFigure,
  type Figure,
  type GridPlace,
  type LineFigure,
  type Measure,
  type NumberFigure,
  type Page,
  type Parameter,
  type ReportDefinition,
  type TableFigure,
  type TextFigure,
} from './definition.ts';
export { reportSchema } from './schema.ts';
export { validateReport } from './validate.ts';
export { datasetNameOf, findFigure, findPage, type FindDataset } from './lookup.ts';
export {
  columnHidden,
  maxFigureRows,
  planFigureQuery,
  resultColumns,
  type FigureQuery,
  type ResultColumn,
} from './figureQuery.ts';
export { compileFigureSql } from './figureSql.ts';
export { parameterColumn, readParameters, type ParameterValue } from './parameters.ts';
export type { FigureResult } from './result.ts';
