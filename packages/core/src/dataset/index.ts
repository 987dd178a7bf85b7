export {
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
export { ColumnExam, fittingTypes, TypeGuess, type ExaminedColumn, type Misfits } from './infer.ts';
export { columnChanges, type ColumnChange } from './columnChanges.ts';
export { fieldName, thingName, toFieldName } from './names.ts';
