import { rm } from 'node:fs/promises';
import { isRefusal } from '@underbell/core/refusal';
import { nextInstants } from '@underbell/core/schedule';
import {
  takeDue,
  changeDataset,
  dueDatasets,
  listDatasets,
  uploadFolder,
  type RefreshCause,
} from '../dataset/index.ts';
import { eachApart, enqueue, TryLater, type App, type Job } from '../platform/index.ts';
import { checkSource, listSources } from '../source/index.ts';
import { oldUploads, removeUpload } from './store.ts';
import { refresh } from './usecases.ts';

/** Loads a dataset because its time has come or somebody called its address. */
export async function refreshJob(app: App, job: Job): Promise<void> {
  const { name, cause } = job.payload as { name: string; cause: RefreshCause };
  try {
    await refresh(app, name, { who: cause, cause, isForced: false });
  } catch (error) {
    // The next call waits for the load that is under way, then loads what came after it.
    if (isRefusal(error, 'REFRESH_ACTIVE')) throw new TryLater(5_000, { cause: error });
    if (isRefusal(error, 'SOURCE_UNREACHABLE') && job.attempts < 3)
      throw new TryLater(15_000 * job.attempts, { cause: error });
    // It is marked and its owner is told: nothing is left to be done here.
    if (!isRefusal(error)) throw error;
    app.log.warn({ dataset: name, code: error.code }, 'a refresh failed');
  }
}

/** Puts every dataset that is due into the queue and settles when it is next; two processes never take one twice. */
export async function enqueueDue(app: App): Promise<void> {
  const failed = (error: unknown, { name }: { readonly name: string }) =>
    app.log.error({ err: error, dataset: name }, 'a dataset that is due could not be put into the queue');
  const put = async (row: Awaited<ReturnType<typeof dueDatasets>>[number]) => {
    await app.records.transaction(async () => {
      if (!(await takeDue(app, row)) || !row.schedule) return;
      const [next] = nextInstants(row.schedule, app.now());
      await changeDataset(app, row.name, { nextRefreshAt: next === undefined ? null : new Date(next) });
      await enqueue(app, 'dataset.refresh', { name: row.name, cause: 'schedule' });
    });
  };
  await eachApart(await dueDatasets(app), put, failed);
}

const checkAheadMs = 60 * 60_000;
const checkAgainMs = 30 * 60_000;

/** Looks whether sources still let us in while there is time to mend them before the next refresh. */
export async function checkSources(app: App): Promise<void> {
  const soon = app.now() + checkAheadMs;
  const due = (await listDatasets(app)).filter((one) => one.nextRefreshAt && one.nextRefreshAt.getTime() <= soon);
  const wanted = new Map(due.flatMap((one) => (one.sourceName ? [[one.sourceName, one] as const] : [])));
  const check = async (source: Awaited<ReturnType<typeof listSources>>[number]) => {
    const dataset = wanted.get(source.name);
    if (!dataset || (source.checkedAt && source.checkedAt.getTime() > app.now() - checkAgainMs)) return;
    const error = await checkSource(app, source.name);
    if (error === null || source.checkError !== null || !dataset.ownerEmail) return;
    const text = `The source “${source.name}” does not let Under Bell in:\n\n${error}\n\n“${dataset.title}” is to be loaded at ${dataset.nextRefreshAt!.toISOString()}.\n`;
    await enqueue(app, 'notice.mail', {
      to: dataset.ownerEmail,
      subject: `The source ${source.name} does not answer`,
      text,
    });
  };
  await eachApart(await listSources(app), check, (error, { name }) =>
    app.log.error({ err: error, source: name }, 'a source could not be looked at'),
  );
}

const uploadsKeptMs = 24 * 60 * 60_000;

export async function dropOldUploads(app: App): Promise<void> {
  for (const { id } of await oldUploads(app, app.now() - uploadsKeptMs)) {
    await removeUpload(app, id);
    await rm(uploadFolder(app, id), { recursive: true, force: true });
  }
}
