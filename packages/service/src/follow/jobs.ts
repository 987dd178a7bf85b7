import { isRefusal } from '@underbell/core/refusal';
import { nextInstants } from '@underbell/core/schedule';
import { eachApart, enqueue, TryLater, type App, type Job } from '../platform/index.ts';
import { dueFollowed, findFollowed, moveOn } from './store.ts';
import { checkNow } from './usecases.ts';

/** Looks at a file because its time has come or somebody called its address. */
export async function followJob(app: App, job: Job): Promise<void> {
  const { name } = job.payload as { name: string };
  if (!(await findFollowed(app, name))) return;
  try {
    const { state } = await checkNow(app, name);
    const problem = state === 'failed' ? (await findFollowed(app, name))?.problem : undefined;
    // A server that is down for a moment is asked again before its file waits for the next time.
    if (problem?.code === 'SOURCE_UNREACHABLE' && job.attempts < 3) throw new TryLater(15_000 * job.attempts);
  } catch (error) {
    if (isRefusal(error, 'REFRESH_ACTIVE')) throw new TryLater(5_000, { cause: error });
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
  await eachApart(await dueFollowed(app), put, (error, { name }) =>
    app.log.error({ err: error, file: name }, 'a followed file that is due could not be put into the queue'),
  );
}
