import { readdir, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
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
import { forEachIsolated, enqueue, TryLater, type App, type Job } from '../platform/index.ts';
import { checkSource, listSources, takeCheck } from '../source/index.ts';
import { findUpload, oldUploads, removeUpload } from './store.ts';
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
  await forEachIsolated(await dueDatasets(app), put, failed);
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
    // Of all workers, one looks and tells.
    if (!(await takeCheck(app, source))) return;
    const error = await checkSource(app, source.name);
    if (error === null || source.checkError !== null || !dataset.ownerEmail) return;
    const text = `The source “${source.name}” does not let Under Bell in:\n\n${error}\n\n“${dataset.title}” is to be loaded at ${dataset.nextRefreshAt!.toISOString()}.\n`;
    await enqueue(app, 'notice.mail', {
      to: dataset.ownerEmail,
      subject: `Data source not reachable: ${source.name}`,
      text,
    });
  };
  await forEachIsolated(await listSources(app), check, (error, { name }) =>
    app.log.error({ err: error, source: name }, 'a source could not be looked at'),
  );
}

const uploadsKeptMs = 24 * 60 * 60_000;

const isUploadId = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

/** Folders of files whose row is gone, or never came to be: a process died beside them. */
async function strayUploads(app: App): Promise<string[]> {
  const folder = dirname(uploadFolder(app, 'any'));
  const found = await readdir(folder).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return [];
    throw error;
  });
  const stray = [];
  for (const id of found) {
    const made = await stat(join(folder, id)).catch(() => undefined);
    // One that is arriving just now has no row yet.
    if (!made || app.now() - made.mtimeMs < uploadsKeptMs) continue;
    if (!isUploadId.test(id) || !(await findUpload(app, id))) stray.push(id);
  }
  return stray;
}

export async function dropOldUploads(app: App): Promise<void> {
  for (const id of await strayUploads(app)) await rm(uploadFolder(app, id), { recursive: true, force: true });
  for (const { id } of await oldUploads(app, app.now() - uploadsKeptMs)) {
    await removeUpload(app, id);
    await rm(uploadFolder(app, id), { recursive: true, force: true });
  }
}
