import { isAtLeast, type EffectiveFilter, type PersonViewer } from '@underbell/core/access';
import { rightOn } from '../access/index.ts';
import { countRowsPerLimit, ownCounts, type Revision } from '../dataset/index.ts';
import type { App } from '../platform/index.ts';
import { type ExplainedDataset } from '@underbell/core/preview';

/** Whose counts are told: all, those of rows that the filter's own viewer may see, or none. */
export type CountsTold = 'all' | 'own' | 'none';

/**
 * Every limit of one dataset with its origin, and what is masked; with the rows left after each as far as the asker may
 * know. Counts are figures: where none are told nothing is asked of the rows, so that no filter of the asker's can count
 * what another may see.
 */
export async function explainLimits(
  app: App,
  revision: Revision,
  filter: EffectiveFilter,
  told: CountsTold,
): Promise<ExplainedDataset> {
  const request = { lane: 'readers', revision, filter } as const;
  // What each limit leaves out would tell of few rows, where only groups are shown.
  const isTold = told !== 'none' && filter.masking.minRows <= 1;
  const counts = isTold ? await countRowsPerLimit(app, request) : [];
  const [total, ...left] = told === 'own' ? ownCounts(filter, counts) : counts;
  const rows = counts.at(-1);
  return {
    dataset: revision.shape.name,
    revision: revision.number,
    ...(total === undefined ? {} : { rowsTotal: total }),
    ...(rows === undefined ? {} : { rows }),
    limits: filter.explain().map((limit, i) => ({ ...limit, ...(left[i] === undefined ? {} : { rowsLeft: left[i] }) })),
    masks: filter.masking.words,
  };
}

/** Another's rows, and how many they are, are shown only to those who may change the rules of their datasets. */
export async function mayLookAtRows(app: App, asker: PersonViewer, datasets: Iterable<string>): Promise<boolean> {
  for (const name of datasets) if (!isAtLeast(await rightOn(app, asker, 'dataset', name), 'edit')) return false;
  return true;
}
