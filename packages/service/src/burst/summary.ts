import { findPerson } from '../access/index.ts';
import { enqueue, type Events, type JobHandler } from '../platform/index.ts';
import { findRun } from './store.ts';
import type { RunRow } from './models.ts';
import { countDeliveries, listDeliveries } from '../deliver/index.ts';

const shownFailures = 20;

/** Whether the sender of a run is told how it went. */
function isWanted({ definition, cause, isTest }: RunRow): boolean {
  const { summary = 'unattended' } = definition;
  if (isTest || summary === 'never') return false;
  return summary === 'always' || cause !== 'hand';
}

/** Tells the sender of a run how it went, with everything that did not go well. */
export const sendSummary: JobHandler = async (app, job) => {
  const run = await findRun(app, (job.payload as Events['run.finished']).run);
  if (!run || !isWanted(run)) return;
  const { state, error } = run;
  const sender = await findPerson(app, { id: run.senderId });
  if (!sender) return;
  const counts = await countDeliveries(app, run.id);
  const { title, name } = run.definition;
  const bad = await listDeliveries(app, run.id, ['failed', 'in doubt']);
  const skipped = await listDeliveries(app, run.id, ['skipped']);
  const lines = (rows: typeof bad) =>
    [
      ...rows.slice(0, shownFailures).map((one) => `  ${one.recipient}, ${one.address}: ${one.reason ?? one.state}`),
      ...(rows.length > shownFailures ? [`  and ${rows.length - shownFailures} more`] : []),
    ].join('\n');
  const period = run.occurrence === 'once' ? '' : ` for ${run.occurrence}`;
  const text = [
    `Run ${run.id} of “${title}”${period} is ${state}: ${counts.sent ?? 0} sent, ${counts.skipped ?? 0} skipped, ${counts.failed ?? 0} failed${(counts['in doubt'] ?? 0) > 0 ? `, ${counts['in doubt']} in doubt` : ''}.`,
    ...(error === null ? [] : [`It ended early: ${error}.`]),
    ...(bad.length === 0 ? [] : [`Not sent, or in doubt:\n${lines(bad)}`]),
    ...(skipped.length === 0 ? [] : [`Skipped:\n${lines(skipped)}`]),
    `The ledger: ${app.settings.publicUrl}/console/bursts/${name}?run=${run.id}`,
  ].join('\n\n');
  const subject = bad.length === 0 ? `${title}: ${counts.sent ?? 0} sent` : `${title}: ${bad.length} deliveries failed`;
  await enqueue(app, 'notice.mail', { to: sender.email, subject, text: `${text}\n` });
};
