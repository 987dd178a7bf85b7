import type { PersonViewer } from '@underbell/core/access';
import { jobsPerPage, type FailedJob, type ShownProcesses } from '@underbell/core/operations';
import { notFound, requireAdministrator } from '../access/index.ts';
import { connectionsGiven, listFailedJobs, listProcesses, remember, retryFailed, type App } from '../platform/index.ts';

export async function showProcesses(app: App): Promise<ShownProcesses<Date>> {
  const [processes, connectionLimit] = await Promise.all([listProcesses(app), connectionsGiven(app)]);
  return { connectionLimit, processes };
}

/** @param before - exclusive upper bound of their numbers */
export const showFailedJobs = (app: App, before?: number): Promise<FailedJob<Date>[]> =>
  listFailedJobs(app, { count: jobsPerPage, ...(before === undefined ? {} : { before }) });

/** Lets a job that failed, or waits for its next try, start now. @throws {Refusal} `NOT_ALLOWED`, `NOT_FOUND` */
export async function retryJob(app: App, person: PersonViewer, id: number, origin: string): Promise<{ id: number }> {
  requireAdministrator(person);
  await app.records.transaction(async () => {
    const kind = await retryFailed(app, id);
    if (kind === undefined) throw notFound('failed job', String(id), []);
    await remember(app, { who: person.email, what: `job ${id} retried`, thing: `job ${kind}`, origin });
  });
  return { id };
}
