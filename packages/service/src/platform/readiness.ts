import type { App } from './app.ts';
import { jobs } from './models.ts';

/** So long is waited for each part's answer; milliseconds. */
const answerMs = 2_000;

async function within(work: Promise<unknown>): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, no) => {
    timer = setTimeout(() => no(new Error(`no answer within ${answerMs} ms`)), answerMs);
  });
  try {
    await Promise.race([work, late]);
  } finally {
    clearTimeout(timer);
  }
}

/**
 * Asks everything that this process needs in order to answer: the connections of each kind, and whoever works beside it.
 * Planned work and downloads may rightly use all of theirs for minutes; they are stuck once somebody waited for one in vain.
 *
 * @returns which parts are not ready, with why; none where it is ready
 */
export async function partsNotReady(app: App): Promise<ReadonlyMap<string, unknown>> {
  const failed = new Map<string, unknown>();
  const ask = async (part: string, work: () => Promise<unknown>) => {
    try {
      await within(work());
    } catch (error) {
      failed.set(part, error);
    }
  };
  await Promise.all([
    ask('sessions', () => app.asking.query('SELECT 1')),
    ask('readers', () => app.lanes.readers.query('SELECT 1')),
    ask('records', () => jobs(app).findOne({ attributes: ['id'] })),
  ]);
  for (const part of ['downloads', 'planned'] as const)
    if (app.lanes[part].isStuck) failed.set(part, new Error('no connection became free in time'));
  for (const [part, isAlive] of app.checks) if (!isAlive()) failed.set(part, new Error('it does not go on'));
  return failed;
}
