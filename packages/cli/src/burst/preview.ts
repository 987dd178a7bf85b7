import type { ShownPlan, ShownPlanEntry } from '@underbell/core/burst/apiTypes';
import { faint, line, megabytes, plural, table } from '../platform/output.ts';

const seconds = (ms: number) => `${(ms / 1000).toFixed(ms < 10_000 ? 1 : 0)} s`;

function usageText({ computingMs, rowsRead, bytes, unknown }: ShownPlan['costs']): string {
  const rows = `${plural(rowsRead, 'row')} read`;
  const without = `no ${unknown.join(' or ')} file was created here yet`;
  if (computingMs === 0 && unknown.length > 0) return `${rows}. Usage is not known: ${without}.`;
  return `Estimated usage: ${seconds(computingMs)} of compute, ${rows}, ${megabytes(bytes)}${unknown.length > 0 ? `, without ${unknown.join(' and ')}: ${without}` : ''}.`;
}

/** The value of a report parameter in the copies, and its source. */
function settingLine({ parameter, value, from }: ShownPlan['parameters'][number]): string {
  if (from === 'nothing') return `${parameter}: no filter`;
  if (from === 'list') return `${parameter} = list column ${value}`;
  const by = { period: 'the period of the run', burst: 'set in the burst', default: 'default of the report' }[from];
  return `${parameter} = ${value} (${by})`;
}

export function showPlan(plan: ShownPlan): void {
  table(plan.entries, [
    { heading: 'recipient', cell: (one) => one.recipient },
    { heading: 'email', cell: (one) => one.address },
    { heading: 'rows', cell: (one) => one.rows, isNumber: true },
    ...(plan.before
      ? [
          { heading: 'rows in the last run', cell: (one: ShownPlanEntry) => one.rowsBefore ?? '', isNumber: true },
          { heading: 'unusual', cell: (one: ShownPlanEntry) => one.mark },
        ]
      : []),
    ...(plan.bytes > 0
      ? [
          {
            heading: 'size (estimate)',
            cell: (one: ShownPlanEntry) => (one.bytes ? megabytes(one.bytes) : ''),
            isNumber: true,
          },
        ]
      : []),
    {
      heading: 'files',
      cell: (one) =>
        one.files
          .filter((file) => file.isInline !== true)
          .map((file) => file.name)
          .join(', '),
    },
    { heading: 'remarks', cell: (one) => one.reason },
  ]);
  line();
  for (const limit of plan.limits) line(faint(`filter of all copies, ${limit.origin} ${limit.name}: ${limit.words}`));
  line(faint(`read strategy: ${plan.strategy.kind} (${plan.strategy.because})`));
  line(
    faint(
      plan.asSeenBy === 'recipient'
        ? 'row rules of the sender and of the recipient apply to each copy'
        : `row rules of the sender ${plan.sender} apply to each copy; those of the recipients do not`,
    ),
  );
  const { counts, before, gone } = plan;
  if (before) {
    const marks = plan.entries.filter((one) => one.mark !== undefined).length;
    const time =
      before.expectedMs === undefined ? '' : `, about ${Math.max(1, Math.round(before.expectedMs / 1000))} s`;
    line(
      `Compared with run ${before.run} (${before.period}, ${plural(before.copies, 'copy', 'copies')}): ${marks} unusual${gone.length > 0 ? `, removed: ${gone.join(', ')}` : ''}. Estimate: ${megabytes(plan.bytes)}${time}.`,
    );
  }
  const { costs } = plan;
  if (counts.planned > 0) line(usageText(costs));
  for (const one of costs.limits)
    if (one.state !== 'fine')
      line(
        `Folder “${one.folder}”: ${one.words}. ${one.state === 'stopped' ? 'This run reaches the usage limit; scheduled work is blocked after it' : 'This run comes near the usage limit'}.`,
      );
  if (plan.template) {
    const { name, version, filled, computed, left, warnings } = plan.template;
    line(
      `Workbook template “${name}”, version ${version}: filled ${filled.join(', ')}${computed.length > 0 ? `; formulas ${computed.join(', ')}` : ''}${left.length > 0 ? `; not filled ${left.join(', ')}` : ''}.`,
    );
    for (const one of warnings) line(`Note: ${one}.`);
  }
  if (plan.unwritable) {
    const { encoding, characters, columns } = plan.unwritable;
    line(
      `${encoding} has no ${characters.map((one) => `“${one}”`).join(' ')} (column ${columns.join(', ')}). The run will fail at the first copy with one of them. Use utf-8.`,
    );
  }
  for (const one of plan.parameters) line(faint(settingLine(one)));
  if (plan.skippedRows) {
    const { list, rows } = plan.skippedRows;
    line(`Recipient list “${list}” skips ${plural(rows, 'invalid row')}. Show them: underbell list show ${list}`);
  }
  if (plan.repeatedTimes)
    line(
      `${plan.repeatedTimes.repeated} of the next ${plan.repeatedTimes.of} runs repeat a period: they send only to recipients without a copy.`,
    );
  const { destination } = plan;
  const least = destination.leastMs >= 1_000 ? `, at least ${Math.round(destination.leastMs / 1000)} s` : '';
  const limits = destination.limits.length > 0 ? `; rate limits: ${destination.limits.join(', ')}${least}` : '';
  line(
    `${destination.kind === 'mail' ? 'Destination: email' : `Destination: ${destination.kind} “${destination.name}”`}${destination.folder ? `, folder ${destination.folder}` : ''}${destination.isAnnounced ? ', with a notification email' : ''}${destination.showsPage ? ', page shown in the email' : ''}${limits}.`,
  );
  if (destination.state !== 'ready')
    line(`The destination is ${destination.state}: ${destination.reason}. The run will wait for it.`);
  if (plan.release.length > 0)
    line(`Approval needed by ${plan.release.join(' or ')}, not by the user who starts the run.`);
  for (const { recipient, reason } of plan.bounced) line(`The last email to “${recipient}” bounced: ${reason}.`);
  const refused = plan.entries.filter((one) => one.action === 'refuse');
  if (refused.length > 0) line(`The run will be rejected: ${plural(refused.length, 'recipient')} without rows.`);
  line(
    `${plan.title}, ${plan.period.words}: ${plural(counts.planned, 'copy', 'copies')} of ${plural(counts.rows, 'row')}, ${plural(counts.files, 'file')}; ${counts.skipped} of ${counts.recipients} recipients skipped. Not sent yet.`,
  );
}
