export {
  columnLabel,
  columnTypes,
  valueTypeOf,
  type ColumnType,
  type DatasetColumn,
  type DatasetShape,
  type Value,
  type ValueType,
} from './columns.ts';
export { calculate, compareNumbers, readNumber, type ExactNumber, type ExactOperator } from './numbers.ts';
export { fitsType, formatValue, isDate, parseValue, readCell, readInstant } from './values.ts';
export { TypeGuess } from './infer.ts';
export { fieldName, thingName, toFieldName } from './names.ts';
