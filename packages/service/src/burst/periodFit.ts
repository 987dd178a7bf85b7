import { checkPeriodDays, type BurstDefinition } from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import { parameterColumn, type ReportDefinition } from '@underbell/core/report';
import { countRowsPerTuple } from '../dataset/index.ts';
import { outerFilter } from '../copies/index.ts';
import type { App } from '../platform/index.ts';
import type { PreparedBurst } from './prepare.ts';

/** A report that filters by a date keeps its own default, whatever period the copies are named after. */
function checkParameterSet(
  { name, period, bind = {}, parameters = {} }: BurstDefinition,
  report: ReportDefinition,
): void {
  if (!period || period.unit === 'run' || period.parameter !== undefined) return;
  const dates = (report.parameters ?? []).filter((one) => one.type === 'date').map((one) => one.name);
  if (dates.length === 0 || dates.some((one) => Object.hasOwn(bind, one) || Object.hasOwn(parameters, one))) return;
  throw new Refusal(
    'BURST_INVALID',
    `The report “${report.name}” filters by the date parameter “${dates[0]}”, but the burst “${name}” does not set it.`,
    {
      pointer: '/period/parameter',
      nearest: dates,
      hint: `Name the parameter in “period.parameter”, so that each run is about its own ${period.unit}, or set it in “parameters”.`,
    },
  );
}

/**
 * Checks that the period of a burst is what its report filters by: that the parameter is set at all, and, where it takes one
 * day, that the days of its column are the first days of such periods.
 *
 * @throws {Refusal} `BURST_INVALID`
 */
export async function checkPeriod(app: App, burst: PreparedBurst): Promise<void> {
  const { definition, viewing, revisions } = burst;
  const { period } = definition;
  checkParameterSet(definition, viewing.report);
  const parameter = viewing.report.parameters?.find((one) => one.name === period?.parameter);
  if (!period || period.unit === 'run' || !parameter || parameter.period === true) return;
  const open = { ...viewing, fixed: viewing.fixed.filter((one) => one.parameter.name !== parameter.name) };
  for (const revision of revisions.values()) {
    const column = parameterColumn(viewing.report, parameter, revision.shape);
    if (!column || column.type !== 'date') continue;
    const filter = outerFilter({ ...burst, viewing: open }, revision.shape);
    // Which days occur is not for somebody to know who is shown groups alone.
    if (filter.masking.minRows > 1) continue;
    if (!filter.visible.columns.some((one) => one.name === column.name)) continue;
    const found = await countRowsPerTuple(app, { lane: 'planned', revision, filter }, [column]);
    checkPeriodDays(
      period.unit,
      parameter.name,
      found.map((one) => String(one.tuple[0])),
    );
  }
}
