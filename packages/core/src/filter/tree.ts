/** Offsets into the filter text, UTF-16 units, end exclusive. */
export interface Span {
  readonly start: number;
  readonly end: number;
}

export type ComparisonOperator = '=' | '<>' | '<' | '<=' | '>' | '>=';
export type ArithmeticOperator = '+' | '-' | '*' | '/';
/** Operators by their CQL2 JSON names (OGC 21-065r2, section 8). */
export type Operator =
  ComparisonOperator | ArithmeticOperator | 'and' | 'or' | 'not' | 'in' | 'between' | 'like' | 'isNull';

/** What the parser understood, before any name or type is known. */
export type FilterNode =
  | { readonly kind: 'text'; readonly value: string; readonly span: Span }
  | { readonly kind: 'number'; readonly value: number; readonly span: Span }
  | { readonly kind: 'boolean'; readonly value: boolean; readonly span: Span }
  /** `value` is the ISO 8601 text inside DATE('…') or TIMESTAMP('…'). */
  | { readonly kind: 'date' | 'instant'; readonly value: string; readonly span: Span }
  | { readonly kind: 'column'; readonly name: string; readonly quoted: boolean; readonly span: Span }
  | { readonly kind: 'call'; readonly name: string; readonly args: readonly FilterNode[]; readonly span: Span }
  | { readonly kind: 'operation'; readonly op: Operator; readonly args: readonly FilterNode[]; readonly span: Span };

/** A filter text may be this long, in UTF-16 units. */
export const maxFilterLength = 16_384;
/** Parentheses, NOT and function calls may nest this deep. */
export const maxFilterDepth = 64;
