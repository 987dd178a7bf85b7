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
import { refuseSmallGroups, refuseTelling, type Revision } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import { commonFilter, copyColumns, filterFor, outerFilter } from './filters.ts';
import type { CopyJob } from './job.ts';

/** How a figure of the copies is asked for: of all of them, or of one. */
export interface FigureQuestion {
  readonly revision: Revision;
  readonly filter: EffectiveFilter;
  readonly plan: FigurePlan;
}

export const revisionOf = ({ revisions, viewing }: CopyJob, figure: DataFigure): Revision =>
  revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;

/**
 * The question that a figure asks; a plan and its run ask this.
 *
 * @param cut - where every copy is asked for by itself
 * @throws {Refusal} `COLUMN_HIDDEN`, `VALUE_INVALID`
 */
export function questionOf(
  job: CopyJob,
  figure: DataFigure,
  cut: Cut | undefined,
  plan: typeof planFigure = planFigure,
): FigureQuestion {
  const revision = revisionOf(job, figure);
  const { shape } = revision;
  const filter = cut === undefined ? commonFilter(job, shape, figure) : filterFor(job, shape, cut, figure);
  return { revision, filter, plan: plan(job.viewing.report, figure, filter.visible) };
}

/** A job an earlier period ago. */
export interface Earlier {
  readonly job: CopyJob;
  /** The earlier period in words, in a language. */
  readonly words: (locale: string) => string;
}

const known = new WeakMap<CopyJob, Map<string, Earlier | string>>();

/**
 * The job an earlier period ago, for a figure that is compared with it.
 *
 * @param viewing - of one copy, where a period of its own moves
 * @returns words that say why there is none; nothing for a figure that is not compared
 */
export function previousPeriodOf(
  job: CopyJob,
  figure: DataFigure,
  viewing: Viewing = job.viewing,
): Earlier | string | undefined {
  const how = comparedWith(figure);
  if (how === undefined) return undefined;
  const { shape } = revisionOf(job, figure);
  const moved = (locale: string) => viewingBefore(viewing, shape, how, locale);
  const make = (): Earlier | string => {
    const found = moved('en-GB');
    if (typeof found === 'string') return found;
    const words = (locale: string) => (moved(locale) as { words: string }).words;
    return { job: { ...job, viewing: found.viewing }, words };
  };
  if (viewing !== job.viewing) return make();
  // One for all figures of a dataset, so that their questions are answered by one scan.
  const all = known.get(job) ?? new Map<string, Earlier | string>();
  known.set(job, all);
  const key = `${how} ${shape.name}`;
  const one = all.get(key) ?? make();
  all.set(key, one);
  return one;
}

export const earlierQuestionOf = (job: CopyJob, figure: DataFigure, cut: Cut | undefined): FigureQuestion =>
  questionOf(job, figure, cut, planEarlier);

/**
 * Asks before anything is made what making would be refused for: columns that are not shown to whoever sends or gets a
 * copy, rows where only groups are shown.
 *
 * @param cut - the copy, where each is read by itself; all when left out
 * @throws {Refusal} `COLUMN_HIDDEN`, `GROUPS_TOO_SMALL`, `BURST_INVALID`, `VALUE_INVALID`
 */
export async function validateJob(app: App, job: CopyJob, formats: readonly MadeFormat[], cut?: Cut): Promise<void> {
  const { rowRevision: revision, viewing } = job;
  // Whoever cuts chooses the values that each copy is cut by, and is told how many rows it has.
  const own = outerFilter(job, revision.shape);
  if ((job.bound.length > 0 || Object.keys(job.where).length > 0) && own.masking.minRows > 1)
    refuseSmallGroups({ filter: own }, 'rows');
  if (formats.some((one) => (rowFormats as readonly MadeFormat[]).includes(one))) {
    copyColumns(job, cut);
    const filter = cut === undefined ? outerFilter(job, revision.shape) : filterFor(job, revision.shape, cut);
    refuseSmallGroups({ filter }, 'rows');
  }
  if (!formats.some((one) => figureFormats.includes(one))) return;
  for (const figure of viewing.page.figures.filter(asksData)) {
    const { plan, filter } = questionOf(job, figure, cut);
    refuseTelling({ filter }, plan);
  }
}
