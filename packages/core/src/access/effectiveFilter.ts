import type { DatasetShape } from '../dataset/index.ts';
import { allOf, explainInWords, type TypedNode } from '../filter/index.ts';
import type { LimitWords } from './apiTypes.ts';
import { isOutside, layerOf, type FilterPart } from './filterOrder.ts';
import { bothMaskings, maskedShape, noMasking, type Masking } from './masks.ts';

/**
 * Every limit on one dataset's rows for one viewing. Rows are read through nothing else.
 *
 * It can only be narrowed: there is no way to take a part out. It starts from a decision about row rules (`start`).
 */
export class EffectiveFilter {
  readonly #parts: readonly FilterPart[];

  private constructor(
    readonly dataset: DatasetShape,
    parts: readonly FilterPart[],
    readonly masking: Masking,
  ) {
    this.#parts = parts.toSorted((a, b) => layerOf(a) - layerOf(b));
  }

  /** @param decided - what `decideAccess` answered for this viewer */
  static start(decided: {
    readonly dataset: DatasetShape;
    readonly parts: readonly FilterPart[];
    readonly masking?: Masking;
  }): EffectiveFilter {
    return new EffectiveFilter(decided.dataset, decided.parts, decided.masking ?? noMasking);
  }

  narrow(...parts: readonly FilterPart[]): EffectiveFilter {
    return new EffectiveFilter(this.dataset, [...this.#parts, ...parts], this.masking);
  }

  /** The same as somebody else may see it as well: their rules and masks apply beside these. */
  also(decided: { readonly parts: readonly FilterPart[]; readonly masking: Masking }): EffectiveFilter {
    const masking = bothMaskings(this.masking, decided.masking);
    return new EffectiveFilter(this.dataset, [...this.#parts, ...decided.parts], masking);
  }

  /** The same, for measures whose author may have written them to single out rows. */
  distrustingMeasures(): EffectiveFilter {
    return new EffectiveFilter(this.dataset, this.#parts, { ...this.masking, plainMeasures: true });
  }

  /** The dataset as its viewer knows it: what readers' own filters may name. */
  get visible(): DatasetShape {
    return maskedShape(this.dataset, this.masking);
  }

  /** In the order in which they apply. */
  get parts(): readonly FilterPart[] {
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
  explain(): LimitWords[] {
    return this.#parts.map(({ origin, name, node, words, isFixed }) => ({
      origin,
      name,
      words: words ?? explainInWords(node),
      isFixed,
    }));
  }
}
