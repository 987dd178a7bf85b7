import type { TypedNode } from '../filter/index.ts';

/** Where a limit comes from. */
export type FilterSource =
  'row rule' | 'token' | 'placement' | 'report' | 'page' | 'figure' | 'parameter' | 'burst' | 'reader';

/** One limit on the rows, which keeps its origin. */
export interface FilterPart {
  readonly origin: FilterSource;
  /** Which rule, token, parameter … it is. */
  readonly name: string;
  readonly node: TypedNode;
  /** In words; made of the condition when left out. */
  readonly words?: string;
  /** Fixed limits cannot be taken off by the reader. */
  readonly isFixed: boolean;
  /**
   * It looks at masked values: what readers send, and what is stored by somebody to whom its columns are masked. When left
   * out, what is fixed looks at exact values and the rest at masked ones.
   */
  readonly isOutside?: boolean;
}

/** Whether a limit only ever sees what its viewer is shown: masked values, of rows that the other limits let through. */
export function isOutside(part: FilterPart): boolean {
  return part.isOutside ?? !part.isFixed;
}

/** The order in which limits apply: none sees a row that one before it left out. */
export function layerOf(part: FilterPart): number {
  if (isOutside(part)) return 3;
  return part.origin === 'row rule' ? 0 : part.origin === 'token' ? 1 : 2;
}
