import type { DatasetShape } from '../dataset/index.ts';
import { allOf, explainInWords, type TypedNode } from '../filter/index.ts';
import { isOutside, layerOf } from './layers.ts';
import { bothMaskings, maskedShape, noMasking, type Masking } from './masks.ts';

/** Where a limit comes from. */
export type LimitOrigin =
  'record rule' | 'token' | 'placement' | 'report' | 'page' | 'figure' | 'parameter' | 'burst' | 'reader';

/** One limit on the rows, which keeps its origin. */
export interface LimitPart {
  readonly origin: LimitOrigin;
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

/**
 * Every limit on one dataset's rows for one viewing. Rows are read through nothing else.
 *
 * It can only be narrowed: there is no way to take a part out. It starts from a decision about record rules (`start`).
 */
export class EffectiveFilter {
  readonly #parts: readonly LimitPart[];

  private constructor(
    readonly dataset: DatasetShape,
    parts: readonly LimitPart[],
    readonly masking: Masking,
  ) {
    this.#parts = parts.toSorted((a, b) => layerOf(a) - layerOf(b));
  }

  /** @param decided - what `decideAccess` answered for this viewer */
  static start(decided: {
    readonly dataset: DatasetShape;
    readonly parts: readonly LimitPart[];
    readonly masking?: Masking;
  }): EffectiveFilter {
    return new EffectiveFilter(decided.dataset, decided.parts, decided.masking ?? noMasking);
  }

  narrow(...parts: readonly LimitPart[]): EffectiveFilter {
    return new EffectiveFilter(this.dataset, [...this.#parts, ...parts], this.masking);
  }

  /** The same as somebody else may see it as well: their rules and masks apply beside these. */
  also(decided: { readonly parts: readonly LimitPart[]; readonly masking: Masking }): EffectiveFilter {
    const masking = bothMaskings(this.masking, decided.masking);
    return new EffectiveFilter(this.dataset, [...this.#parts, ...decided.parts], masking);
  }

  /** The dataset as its viewer knows it: what readers' own filters may name. */
  get visible(): DatasetShape {
    return maskedShape(this.dataset, this.masking);
  }

  /** In the order in which they apply. */
  get parts(): readonly LimitPart[] {
    return this.#parts;
  }

  /** The condition that every row meets. Over exact values alone where nothing looks at masked ones. */
  get where(): TypedNode {
    return allOf(this.#parts.map((part) => part.node));
  }

  /** The part of it that looks at exact values; what looks at masked ones cannot be told from exact rows. */
  get innerWhere(): TypedNode {
    return allOf(this.#parts.filter((part) => !isOutside(part)).map((part) => part.node));
  }

  /** How many of the limits, which come first, look at exact values. */
  get innerCount(): number {
    return this.#parts.filter((part) => !isOutside(part)).length;
  }

  /** Each limit in words, in the order in which they apply. */
  explain(): { origin: LimitOrigin; name: string; words: string; isFixed: boolean }[] {
    return this.#parts.map(({ origin, name, node, words, isFixed }) => ({
      origin,
      name,
      words: words ?? explainInWords(node),
      isFixed,
    }));
  }
}
