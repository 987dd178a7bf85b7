import { isRefusal } from '@underbell/core/refusal';
import { nextInstants } from '@underbell/core/schedule';
import { amongNames, forEachIsolated, enqueue, TryLater, type App, type Job } from '../platform/index.ts';
import { fetchFile } from './fetchFile.ts';
import type { FollowedRow } from './models.ts';
import { changeFollowed, dueFollowed, findFollowed, listFollowed, moveOn } from './store.ts';
import { checkNow, noteProblem } from './usecases.ts';

/** Looks at a file because its time has come or somebody called its address. */
export async function followJob(app: App, job: Job): Promise<void> {
  const { name } = job.payload as { name: string };
  if (!(await findFollowed(app, name))) return;
  try {
    const { state } = await amongNames(app, () => checkNow(app, name));
    const problem = state === 'failed' ? (await findFollowed(app, name))?.problem : undefined;
    // A server that is down for a moment is asked again before its file waits for the next time.
    if (problem?.code === 'SOURCE_UNREACHABLE' && job.attempts < 3) throw new TryLater(15_000 * job.attempts);
  } catch (error) {
    if (isRefusal(error, 'REFRESH_ACTIVE')) throw new TryLater(5_000, { cause: error, isPatient: true });
    throw error;
  }
}

/** Puts every file that is due into the queue, once over all processes. */
export async function enqueueDueFiles(app: App): Promise<void> {
  const put = async (row: Awaited<ReturnType<typeof dueFollowed>>[number]) => {
    await app.records.transaction(async () => {
      const [next] = row.schedule ? nextInstants(row.schedule, app.now()) : [];
      if (await moveOn(app, row, next === undefined ? null : new Date(next)))
        await enqueue(app, 'follow.check', { name: row.name });
    });
  };
  await forEachIsolated(await dueFollowed(app), put, (error, { name }) =>
    app.log.error({ err: error, file: name }, 'a followed file that is due could not be put into the queue'),
  );
}

const aheadMs = 60 * 60_000;
const againMs = 30 * 60_000;

/** Asks for files that are due soon while there is time to mend what keeps us out; nothing is taken over. */
export async function tryAhead(app: App): Promise<void> {
  const now = app.now();
  const isSoon = (row: FollowedRow) =>
    row.nextAt !== null &&
    row.nextAt.getTime() <= now + aheadMs &&
    (row.checkedAt === null || row.checkedAt.getTime() <= now - againMs);
  const ask = async (row: FollowedRow) => {
    try {
      await fetchFile(app, row, () => Promise.resolve(true));
      await changeFollowed(app, row, { checkedAt: new Date(app.now()) });
    } catch (error) {
      if (!isRefusal(error)) throw error;
      await noteProblem(app, row, error);
    }
  };
  await forEachIsolated((await listFollowed(app)).filter(isSoon), ask, (error, { name }) =>
    app.log.error({ err: error, file: name }, 'a followed file could not be asked for ahead of its time'),
  );
}
