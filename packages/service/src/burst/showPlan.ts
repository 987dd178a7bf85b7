import type { EffectiveFilter, PersonViewer } from '@underbell/core/access';
import {
  comparePlan,
  predecessorOf,
  cutKey,
  destinationName,
  leastMs,
  rateWords,
  type BurstDefinition,
  type BurstDestination,
  type Comparison,
  type Cut,
  type PlanEntry,
  type ShownPlan,
} from '@underbell/core/burst';
import { costState, usageText } from '@underbell/core/usage';
import { charactersIn } from '../dataset/index.ts';
import { findDestination, bouncedBefore, sentCopies, sentOccurrences } from '../deliver/index.ts';
import { copyCosts, costsAround } from '../usage/index.ts';
import { turns, type App } from '../platform/index.ts';
import { commonFilter, copyColumns, filterFor, type FittedTemplate, isHeld, outerFilter } from '../copies/index.ts';
import { makePlan, type PlanOptions } from './plan.ts';
import type { PreparedBurst } from './prepare.ts';
import { findRun } from './store.ts';
import { timesOf } from './nextRuns.ts';

/** A plan beside what was sent of the period before, in however many runs. */
async function compare(app: App, name: string, period: string, entries: readonly PlanEntry[]) {
  const occurrence = predecessorOf(period, await sentOccurrences(app, name));
  const copies = occurrence === undefined ? [] : await sentCopies(app, name, occurrence);
  const former = copies.map(({ recipient, rowCount, files }) => ({ recipient, rows: Number(rowCount), files }));
  const compared: Comparison = comparePlan(entries, former);
  const last = copies.length === 0 ? undefined : await findRun(app, Math.max(...copies.map((one) => one.runId)));
  const ms = last?.startedAt && last.finishedAt ? last.finishedAt.getTime() - last.startedAt.getTime() : undefined;
  const sent = copies.filter((one) => one.runId === last?.id);
  const planned = entries.filter((one) => one.action === 'send').length;
  return {
    compared,
    before: last && {
      run: last.id,
      period: last.occurrence,
      copies: copies.length,
      /** About how long this run takes, by how long that one did; milliseconds. */
      ...(ms !== undefined && sent.length > 0 ? { expectedMs: Math.round((ms / sent.length) * planned) } : {}),
    },
  };
}

/** What a run would do: who gets what, how many rows, who is skipped and why. Nothing is sent. */
export async function showPlan(
  app: App,
  person: PersonViewer,
  name: string,
  options: PlanOptions,
): Promise<ShownPlan<Date>> {
  const { burst, entries, template, skippedRows } = await makePlan(app, person, name, options);
  const { before, compared } = await compare(app, name, burst.period.name, entries);
  const planned = entries.filter((one) => one.action === 'send');
  const { shape } = burst.rowRevision;
  const limit = (burst.strategy.kind === 'one pass' ? commonFilter : outerFilter)(burst, shape);
  const explain = cutExplainer(burst);
  const turn = turns();
  const shown = [];
  for (const { cut, files, ...one } of entries) {
    const { sizes, ...beside } = compared.entries.get(one.recipient)!;
    const sized = files.map((file, i) => ({ ...file, ...(sizes[i]! > 0 ? { bytes: sizes[i]! } : {}) }));
    shown.push({ ...one, files: sized, filter: explain(cut), ...beside });
    await turn();
  }
  const unwritable = planned.length === 0 ? undefined : await unwritableIn(app, burst, limit);
  return {
    burst: name,
    title: burst.definition.title,
    period: burst.period,
    sender: person.name,
    edition: burst.editionNumber,
    data: [...burst.revisions.values()].map((one) => ({
      dataset: one.shape.name,
      revision: one.number,
      loadedAt: one.loadedAt,
    })),
    parameters: burst.settings,
    ...(skippedRows > 0 ? { skippedRows: { list: burst.definition.list, rows: skippedRows } } : {}),
    ...(await repeatedTimes(app, burst.definition)),
    limits: limit.explain(),
    ...(unwritable ? { unwritable } : {}),
    /** How rows and figures are read, and why so. */
    strategy: burst.strategy,
    cut: {
      dataset: shape.name,
      by: burst.bound.map((one) => ({ parameter: one.parameter.name, listColumn: one.listColumn })),
      where: burst.definition.where ?? {},
    },
    /** Whose row rules limit the copies: the sender's alone, or each recipient's as well. */
    asSeenBy: burst.definition.asSeenBy ?? 'sender',
    release: burst.definition.release ?? [],
    counts: {
      recipients: entries.length,
      planned: planned.length,
      skipped: entries.length - planned.length,
      sent: 0,
      failed: 0,
      rows: planned.reduce((sum, one) => sum + one.rows, 0),
      files: planned.reduce((sum, one) => sum + one.files.filter((file) => file.isInline !== true).length, 0),
    },
    costs: await expectCosts(app, burst, planned),
    destination: await explainDestination(app, burst.definition.destination, planned.length),
    ...(template ? { template: explainTemplate(template) } : {}),
    /** What the run before sent; nothing when there was none. */
    ...(before ? { before } : {}),
    gone: compared.gone,
    /** Those whose last copy came back. */
    bounced: [...(await bouncedBefore(app, name))].map(([recipient, reason]) => ({ recipient, reason })),
    bytes: compared.bytes,
    entries: shown,
  };
}

/** How often a schedule comes to a period that it came to before; nothing where it never does. */
async function repeatedTimes(app: App, definition: BurstDefinition): Promise<Pick<ShownPlan, 'repeatedTimes'>> {
  const { times } = await timesOf(app, definition, lookedAtTimes);
  const repeated = times.filter((one) => one.isRepeated).length;
  return repeated === 0 ? {} : { repeatedTimes: { repeated, of: times.length } };
}

const lookedAtTimes = 10;

/** Characters of the rows that the encoding of their CSV does not have. */
async function unwritableIn(app: App, burst: PreparedBurst, filter: EffectiveFilter): Promise<ShownPlan['unwritable']> {
  const { formats, csv } = burst.definition;
  const encoding = csv?.encoding ?? 'utf-8';
  if (!formats.includes('csv') || isHeld(sampleOfAll, encoding)) return undefined;
  const columns = copyColumns(burst);
  const found = await charactersIn(app, { lane: 'planned', revision: burst.rowRevision, filter }, columns);
  const missing = [...found].filter(([letter]) => !isHeld(letter, encoding));
  if (missing.length === 0) return undefined;
  return {
    encoding,
    characters: missing.map(([letter]) => letter).slice(0, mostNamed),
    columns: [...new Set(missing.flatMap(([, names]) => names))],
  };
}

/** Of scripts that no encoding of single bytes has together. */
const sampleOfAll = 'ŁΩЯ⛵';
/** More characters than these are too many to name. */
const mostNamed = 12;

/** What the run will cost, by what copies of each format cost so far; recipients with the same cut share one making. */
async function expectCosts(app: App, burst: PreparedBurst, planned: readonly PlanEntry[]) {
  const known = new Map((await copyCosts(app, burst.definition.name)).map((one) => [one.format, one]));
  const cuts = new Map(planned.flatMap((one) => (one.cut ? [[cutKey(one.cut), one] as const] : [])));
  const made = [...cuts.values()];
  const formats = [...new Set(made.flatMap((one) => one.files.map((file) => file.format)))];
  // What a letter says of a page costs next to nothing.
  const unknown = formats.filter((format) => !known.has(format) && format !== 'numbers');
  const sum = (of: (file: PlanEntry['files'][number]) => number, entries: readonly PlanEntry[]) =>
    entries.reduce((all, { files }) => all + files.reduce((one, file) => one + of(file), 0), 0);
  const limits = await costsAround(app, { kind: 'report', name: burst.definition.report });
  const computingMs = Math.round(sum((file) => known.get(file.format)?.ms ?? 0, made));
  return {
    rowsRead: made.reduce((rows, one) => rows + one.rows, 0),
    computingMs,
    bytes: Math.round(sum((file) => known.get(file.format)?.bytes ?? 0, planned)),
    /** Formats of which no copy was ever made here: they are not in the sums. */
    unknown,
    limits: limits.map((one) => ({
      folder: one.folder,
      words: usageText(one),
      /** As it will be after the run. */
      state: costState({ ...one, usedSeconds: one.usedSeconds + computingMs / 1000 }),
    })),
  };
}

/** Where the copies would go, whether anything gets in there now, and how long its limits make them take at least. */
async function explainDestination(app: App, wanted: BurstDestination, copies: number) {
  const name = destinationName(wanted);
  const found = await findDestination(app, name);
  const rates = found?.rates ?? [];
  return {
    name,
    kind: wanted.kind,
    state: found?.state ?? 'paused',
    reason: found ? found.reason : 'it is gone',
    limits: rates.map(rateWords),
    leastMs: leastMs(rates, copies),
    ...('folder' in wanted ? { folder: wanted.folder } : {}),
    ...('announce' in wanted ? { isAnnounced: true } : {}),
    ...(wanted.kind === 'mail' && wanted.page === true ? { showsPage: true } : {}),
  };
}

/** What a prepared workbook does with the rows. */
function explainTemplate({ name, version, workbook, fit }: FittedTemplate) {
  return {
    name,
    version,
    filled: [...fit.filled.keys()].map((one) => one.heading),
    computed: fit.computed,
    left: fit.left,
    unused: fit.unused,
    warnings: workbook.warnings,
  };
}

/** Explains the limits that cut out one copy after the other, in words; those for all stand above the plan. */
export function cutExplainer(burst: PreparedBurst): (cut: Cut | undefined) => string {
  const { shape } = burst.rowRevision;
  const common = new Set(
    outerFilter(burst, shape)
      .explain()
      .map((one) => one.words),
  );
  return (cut) =>
    cut === undefined
      ? ''
      : filterFor(burst, shape, cut)
          .explain()
          .filter((one) => one.origin === 'burst' || one.origin === 'row rule')
          .map((one) => one.words)
          .filter((words) => !common.has(words))
          .join('; ');
}
