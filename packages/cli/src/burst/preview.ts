import type { ShownPlan, ShownPlanEntry } from '@underbell/core/burst/apiTypes';
import { faint, line, megabytes, plural, table } from '../platform/output.ts';

const seconds = (ms: number) => `${(ms / 1000).toFixed(ms < 10_000 ? 1 : 0)} s`;

function usageText({ computingMs, rowsRead, bytes, unknown }: ShownPlan['costs']): string {
  const rows = `${plural(rowsRead, 'row')} read`;
  const without = `no copy as ${unknown.join(' or ')} was ever made here`;
  if (computingMs === 0 && unknown.length > 0) return `${rows}; what it costs is not known yet: ${without}.`;
  return `By what copies cost so far: ${seconds(computingMs)} of queries and making, ${rows}, ${megabytes(bytes)}${unknown.length > 0 ? `, and what ${unknown.join(' and ')} cost on top: ${without}` : ''}.`;
}

/** A plan as it is read on a terminal. */
/** What a parameter of the report is in the copies, and by what. */
function settingLine({ parameter, value, from }: ShownPlan['parameters'][number]): string {
  if (from === 'nothing') return `${parameter} filters nothing`;
  if (from === 'list') return `${parameter} is each recipient's ${value}`;
  const by = { period: 'the period of the run', burst: 'set by the burst', default: "the report's default" }[from];
  return `${parameter} is ${value} (${by})`;
}

export function showPlan(plan: ShownPlan): void {
  table(plan.entries, [
    { heading: 'recipient', cell: (one) => one.recipient },
    { heading: 'address', cell: (one) => one.address },
    { heading: 'rows', cell: (one) => one.rows, isNumber: true },
    ...(plan.before
      ? [
          { heading: 'rows before', cell: (one: ShownPlanEntry) => one.rowsBefore ?? '', isNumber: true },
          { heading: 'striking', cell: (one: ShownPlanEntry) => one.mark },
        ]
      : []),
    ...(plan.bytes > 0
      ? [{ heading: 'about', cell: (one: ShownPlanEntry) => (one.bytes ? megabytes(one.bytes) : ''), isNumber: true }]
      : []),
    {
      heading: 'files',
      cell: (one) =>
        one.files
          .filter((file) => file.isInline !== true)
          .map((file) => file.name)
          .join(', '),
    },
    { heading: 'skipped, or what is special', cell: (one) => one.reason },
  ]);
  line();
  for (const limit of plan.limits) line(faint(`limit for all, ${limit.origin} ${limit.name}: ${limit.words}`));
  line(faint(`read in ${plan.strategy.kind}: ${plan.strategy.because}`));
  line(
    faint(
      plan.asSeenBy === 'recipient'
        ? 'every copy is limited by its recipient’s own rules as well as by yours'
        : `the rights of ${plan.sender} are the outer limit of every copy; recipients’ own rules do not matter`,
    ),
  );
  const { counts, before, gone } = plan;
  if (before) {
    const marks = plan.entries.filter((one) => one.mark !== undefined).length;
    const time =
      before.expectedMs === undefined ? '' : `, about ${Math.max(1, Math.round(before.expectedMs / 1000))} s`;
    line(
      `Beside run ${before.run} (${before.period}, ${plural(before.copies, 'copy', 'copies')}): ${marks} striking${gone.length > 0 ? `, gone: ${gone.join(', ')}` : ''}. About ${megabytes(plan.bytes)}${time}.`,
    );
  }
  const { costs } = plan;
  if (counts.planned > 0) line(usageText(costs));
  for (const one of costs.limits)
    if (one.state !== 'fine')
      line(
        `The folder ${one.folder} has ${one.words}; ${one.state === 'stopped' ? 'with this run nothing planned starts in it any more' : 'it comes near its limit'}.`,
      );
  if (plan.template) {
    const { name, version, filled, computed, left, warnings } = plan.template;
    line(
      `Workbook ${name}, version ${version}: filled are ${filled.join(', ')}${computed.length > 0 ? `; computed ${computed.join(', ')}` : ''}${left.length > 0 ? `; left for people ${left.join(', ')}` : ''}.`,
    );
    for (const one of warnings) line(`Note: ${one}.`);
  }
  if (plan.unwritable) {
    const { encoding, characters, columns } = plan.unwritable;
    line(
      `${encoding} has no ${characters.map((one) => `“${one}”`).join(' ')} (in ${columns.join(', ')}): the first copy with one stops the run. utf-8 has every character.`,
    );
  }
  for (const one of plan.parameters) line(faint(settingLine(one)));
  if (plan.skippedRows) {
    const { list, rows } = plan.skippedRows;
    line(`The list ${list} was loaded without ${plural(rows, 'invalid row')}. See them: underbell list show ${list}`);
  }
  if (plan.repeatedTimes)
    line(
      `${plan.repeatedTimes.repeated} of its next ${plan.repeatedTimes.of} times are about a period that an earlier one is about: they reach only those who have none yet.`,
    );
  const { destination } = plan;
  const least =
    destination.leastMs >= 1_000 ? `, which takes ${Math.round(destination.leastMs / 1000)} s at least` : '';
  const limits = destination.limits.length > 0 ? `; it takes ${destination.limits.join(', ')}${least}` : '';
  line(
    `${destination.kind === 'mail' ? 'By mail' : `To the ${destination.kind} ${destination.name}`}${destination.folder ? `, into ${destination.folder}` : ''}${destination.isAnnounced ? ', announced by mail' : ''}${destination.showsPage ? ', in letters that show the page' : ''}${limits}.`,
  );
  if (destination.state !== 'ready')
    line(`It is ${destination.state}: ${destination.reason}. The run would wait for it.`);
  if (plan.release.length > 0)
    line(`Before anything is made, one of ${plan.release.join(', ')} must release the run, other than its starter.`);
  for (const { recipient, reason } of plan.bounced) line(`The last copy for ${recipient} came back: ${reason}.`);
  const refused = plan.entries.filter((one) => one.action === 'refuse');
  if (refused.length > 0) line(`The run would be refused: ${refused.length} without rows.`);
  line(
    `${plan.title}, ${plan.period.words}: ${plural(counts.planned, 'copy', 'copies')} of ${plural(counts.rows, 'row')}, ${plural(counts.files, 'file')}; ${counts.skipped} of ${counts.recipients} recipients skipped. Nothing has been sent.`,
  );
}
