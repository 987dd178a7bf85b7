export { parseFilter } from './parse.ts';
export { columnNamesIn, maxFilterDepth, maxFilterLength, type FilterNode, type Operator, type Span } from './tree.ts';
export { quoteIfNeeded, writeFilter } from './write.ts';
export { readFilter, readFilterJson, toFilterJson, toFilterText, type FilterJson } from './json.ts';
export { checkFilter, checkMeasure } from './check.ts';
export { checkReaderFilter, filterCost, maxFilterCost } from './cost.ts';
export { valueFunctions, type FilterScope, type ValueFunction } from './scope.ts';
export {
  allOf,
  anyOf,
  columnIn,
  columnsOf,
  nothing,
  type AggregateName,
  type TypedNode,
  type TypedOperator,
} from './typed.ts';
export { compileSql, quoteName, SettingBinder, StatementBinder, type SqlBinder } from './sql.ts';
export { compareText, compilePredicate, type Cell, type Row } from './predicate.ts';
export { conjunctsOf, isSafeCondition } from './safeConditions.ts';
export { explainInWords } from './describe.ts';
