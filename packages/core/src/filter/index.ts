export { maxFilterDepth, maxFilterLength, type FilterNode, type Operator, type Span } from './tree.ts';
export { parseFilter } from './parse.ts';
export { checkFilter, checkMeasure, valueFunctions, type FilterScope, type ValueFunction } from './check.ts';
export { allOf, anyOf, columnIn, columnsOf, nothing, type AggregateName, type TypedNode } from './typed.ts';
export { compileSql, quoteName, SettingBinder, StatementBinder, type SqlBinder } from './sql.ts';
export { compareText, compilePredicate, type Cell, type Row } from './predicate.ts';
export { explainInWords } from './words.ts';
