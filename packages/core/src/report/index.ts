export {
  chartParts,
  gridColumns,
  reportFormat,
  tones,
  type AllowedValues,
  type AreaFigure,
  type BarFigure,
  type ChartFigure,
  type ChartPart,
  type ColourRule,
  type Comparison,
  type CrosstabFigure,
  type DataFigure,
  type Figure,
  type GridPlace,
  type LineFigure,
  type Measure,
  type NumberFigure,
  type Page,
  type Parameter,
  type PickerFigure,
  type ReferenceLine,
  type ReportDefinition,
  type ScatterFigure,
  type TableFigure,
  type TextFigure,
  type Tone,
} from './definition.ts';
export { reportSchema } from './schema.ts';
export { validateReport } from './validate.ts';
export { startReport, type ColumnProfile } from './startReport.ts';
export { brokenUses, compareEditions, type EditionChange, type ReportUse } from './editions.ts';
export { datasetNameOf, findFigure, findPage, type FindDataset } from './lookup.ts';
export {
  asksData,
  columnHidden,
  crosstabRows,
  maxFigureRows,
  comparedWith,
  planEarlier,
  planFigure,
  resultColumns,
  type FigurePlan,
  type FigureQuery,
  type ResultColumn,
} from './figureQuery.ts';
export type { Calculation } from './calculation.ts';
export { compileCountSql, compileFigureSql } from './figureSql.ts';
export { canShareScan, compileFigureSetsSql, type FigureSets } from './figureSetsSql.ts';
export {
  isWithin,
  parameterColumn,
  readParameter,
  readParameters,
  sameParameterValue,
  type ParameterOptions,
  type ParameterValue,
  type RawParameters,
} from './parameters.ts';
export {
  addDays,
  addMonths,
  readSpan,
  spanBefore,
  spanFrom,
  spanName,
  spanWords,
  startOf,
  stepBy,
  type DateSpan,
  type SpanUnit,
} from './span.ts';
export { drilledFigure, drillLevels } from './drill.ts';
export { measuresIn, parametersIn } from './textSlots.ts';
export { fillText } from './textValues.ts';
export { assembleResult, type FigureResult, type PlanRows } from './result.ts';
export { pivot, type Crosstab } from './pivot.ts';
export { renamedInReport } from './applyRename.ts';
export type {
  CheckedReport,
  ComparedEditions,
  ListedReport,
  ShownEdition,
  ShownReport,
  ThingUser,
} from './apiTypes.ts';
