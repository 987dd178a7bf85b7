import type { DatasetShape, ValueType } from '../dataset/index.ts';
import type { Refusal, RefusalCode, RefusalDetails } from '../refusal/index.ts';
import type { FilterNode } from './tree.ts';
import type { TypedNode } from './typed.ts';

/** The functions through which our own values come in. */
export type ValueFunction = 'person' | 'recipient' | 'record' | 'screen' | 'param';
export const valueFunctions: readonly ValueFunction[] = ['person', 'recipient', 'record', 'screen', 'param'];

/** Everything an expression may name. */
export interface FilterScope {
  readonly dataset: DatasetShape;
  /** The expression as written, for positions. */
  readonly text: string;
  /**
   * The raw values behind `person('quay')` and its like, to be parsed by the type they are compared with;
   * undefined when there is none, which refuses with `VALUE_UNBOUND`. Leave out where such functions may not stand.
   */
  readonly valuesOf?: (source: ValueFunction, name: string) => readonly string[] | undefined;
  /** `YYYY-MM-DD` in the reader's time zone. */
  readonly today?: string;
  /** Milliseconds since 1970-01-01T00:00:00Z. */
  readonly now?: number;
  /** Measures may aggregate; filters may not. */
  readonly allowsAggregates?: boolean;
}

/** What the parts of the check share. */
export interface Check {
  readonly scope: FilterScope;
  /** The node's type; a value function takes the wanted one. */
  type(node: FilterNode, wanted?: ValueType): TypedNode;
  /** Every value behind a node: several for a many-valued function, else the node itself. */
  values(node: FilterNode, wanted: ValueType): TypedNode[];
  isValueCall(node: FilterNode): boolean;
  /** The node as it was written. */
  written(node: FilterNode): string;
  refuse(node: FilterNode, code: RefusalCode, message: string, details?: RefusalDetails): Refusal;
}

export const typeWords: Record<ValueType, string> = {
  text: 'text',
  number: 'a number',
  boolean: 'true or false',
  date: 'a date',
  instant: 'an instant',
};
