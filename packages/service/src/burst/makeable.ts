import type { Viewing, EffectiveFilter } from '@underbell/core/access';
import { viewingBefore } from '@underbell/core/access';
import { figureFormats, rowFormats, type Cut, type MadeFormat } from '@underbell/core/burst';
import {
  asksData,
  comparedWith,
  datasetNameOf,
  planEarlier,
  planFigure,
  type DataFigure,
  type FigurePlan,
} from '@underbell/core/report';
import { refuseSmallGroups, type Revision } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import { commonFilter, copyColumns, filterFor, outerFilter, type PreparedBurst } from './prepare.ts';

/** How a figure of the copies is asked for: of all of them, or of one. */
export interface FigureQuestion {
  readonly revision: Revision;
  readonly filter: EffectiveFilter;
  readonly plan: FigurePlan;
}

export const revisionOf = ({ revisions, viewing }: PreparedBurst, figure: DataFigure): Revision =>
  revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;

/**
 * The question that a figure asks; a plan and its run ask this.
 *
 * @param cut - where every copy is asked for by itself
 * @throws {Refusal} `COLUMN_HIDDEN`, `VALUE_INVALID`
 */
export function questionOf(
  burst: PreparedBurst,
  figure: DataFigure,
  cut: Cut | undefined,
  plan: typeof planFigure = planFigure,
): FigureQuestion {
  const revision = revisionOf(burst, figure);
  const { shape } = revision;
  const filter = cut === undefined ? commonFilter(burst, shape, figure) : filterFor(burst, shape, cut, figure);
  return { revision, filter, plan: plan(burst.viewing.report, figure, filter.visible) };
}

/** A burst an earlier period ago. */
export interface Earlier {
  readonly burst: PreparedBurst;
  /** The earlier period in words, in a language. */
  readonly words: (locale: string) => string;
}

const known = new WeakMap<PreparedBurst, Map<string, Earlier | string>>();

/**
 * The burst an earlier period ago, for a figure that is compared with it.
 *
 * @param viewing - of one copy, where a period of its own moves
 * @returns words that say why there is none; nothing for a figure that is not compared
 */
export function earlierOf(
  burst: PreparedBurst,
  figure: DataFigure,
  viewing: Viewing = burst.viewing,
): Earlier | string | undefined {
  const how = comparedWith(figure);
  if (how === undefined) return undefined;
  const { shape } = revisionOf(burst, figure);
  const moved = (locale: string) => viewingBefore(viewing, shape, how, locale);
  const make = (): Earlier | string => {
    const found = moved('en-GB');
    if (typeof found === 'string') return found;
    const words = (locale: string) => (moved(locale) as { words: string }).words;
    return { burst: { ...burst, viewing: found.viewing }, words };
  };
  if (viewing !== burst.viewing) return make();
  // One for all figures of a dataset, so that their questions are answered by one scan.
  const all = known.get(burst) ?? new Map<string, Earlier | string>();
  known.set(burst, all);
  const key = `${how} ${shape.name}`;
  const one = all.get(key) ?? make();
  all.set(key, one);
  return one;
}

export const earlierQuestionOf = (burst: PreparedBurst, figure: DataFigure, cut: Cut | undefined): FigureQuestion =>
  questionOf(burst, figure, cut, planEarlier);

/**
 * Asks before anything is made what making would be refused for: columns that are not shown to whoever sends or gets a
 * copy, rows where only groups are shown.
 *
 * @param cut - the copy, where each is read by itself; all when left out
 * @throws {Refusal} `COLUMN_HIDDEN`, `GROUPS_TOO_SMALL`, `BURST_INVALID`, `VALUE_INVALID`
 */
export async function refuseUnmakeable(
  app: App,
  burst: PreparedBurst,
  formats: readonly MadeFormat[],
  cut?: Cut,
): Promise<void> {
  const { rowRevision: revision, viewing } = burst;
  if (formats.some((one) => (rowFormats as readonly MadeFormat[]).includes(one))) {
    copyColumns(burst, cut);
    const filter = cut === undefined ? outerFilter(burst, revision.shape) : filterFor(burst, revision.shape, cut);
    await refuseSmallGroups(app, { lane: 'planned', revision, filter }, false);
  }
  if (!formats.some((one) => figureFormats.includes(one))) return;
  for (const figure of viewing.page.figures.filter(asksData)) {
    const { plan, ...request } = questionOf(burst, figure, cut);
    await refuseSmallGroups(app, { lane: 'planned', ...request }, plan.main.isGrouped);
  }
}
