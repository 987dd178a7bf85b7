export {
  columnHeading,
  columnLabel,
  columnTypes,
  dateSteps,
  sensitivities,
  valueTypeOf,
  type ColumnType,
  type DatasetColumn,
  type DateStep,
  type Sensitivity,
  type DatasetShape,
  type Value,
  type ValueType,
} from './columns.ts';
export { calculate, compareNumbers, readNumber, type ExactNumber, type ExactOperator } from './numbers.ts';
export { fitsType, formatValue, isDate, parseValue, readCell, readInstant } from './values.ts';
export {
  ColumnExam,
  describeColumn,
  guessType,
  isCanonical,
  misfitsOf,
  nearTypeOf,
  openQuestions,
  resolveDialect,
  type DialectQuestion,
  type ExaminedColumn,
  type FoundCell,
  type Misfits,
  type NearType,
} from './infer.ts';
export {
  dateOrders,
  decimalSigns,
  dialectToKeep,
  dialectWords,
  fileEncodings,
  fileSeparators,
  canonicalCell,
  separatorSigns,
  type CellDialect,
  type DateOrder,
  type DecimalSign,
  type FileDialect,
  type FileEncoding,
  type FileSeparator,
} from './dialect.ts';
export type {
  BadCells,
  ColumnProfile,
  ExaminedFileColumn,
  ExaminedUpload,
  ListedDataset,
  LoadedDataset,
  LoadedFile,
  NearColumn,
  ShownDataset,
  PlannedRefresh,
  ShownRevision,
  ShownSchedule,
} from './apiTypes.ts';
export { columnChanges, type ColumnChange } from './columnChanges.ts';
export { fieldName, thingName, toFieldName } from './names.ts';
