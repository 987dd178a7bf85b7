import type { PersonViewer } from '@underbell/core/access';
import {
  comparePlan,
  cutKey,
  cutOf,
  destinationName,
  leastMs,
  planBurst,
  rateWords,
  recipientsOfCopies,
  runStart,
  textOfValue,
  tupleKey,
  type BurstDefinition,
  type BurstDestination,
  type Comparison,
  type Cut,
  type PlanEntry,
  type PlanInput,
  type Recipient,
  type ShownPlan,
  type WantedCopy,
} from '@underbell/core/burst';
import { costState, costWords } from '@underbell/core/meter';
import { isRefusal } from '@underbell/core/refusal';
import { asksData, datasetNameOf, parameterColumn, planFigure } from '@underbell/core/report';
import { noSuch, requireRight, rightOn } from '../access/index.ts';
import { findDestination } from '../deliver/index.ts';
import { countRows, countRowsPerTuple } from '../dataset/index.ts';
import { copyCosts, costsAround } from '../meter/index.ts';
import { sideBySide, type App } from '../platform/index.ts';
import { listRecipients } from './listStore.ts';
import { currentList } from './listUsecases.ts';
import { BookFiller, type FittedTemplate } from './bookFiller.ts';
import { fillerKit, fittedTemplate } from './filled.ts';
import { queriesAtOnce } from './cut.ts';
import { commonFilter, filterFor, outerFilter, prepareBurst, scanFor, type PreparedBurst } from './prepare.ts';
import { unsubscribedFrom } from './unsubscribe.ts';
import { bouncedBefore, listDeliveries, sentBefore } from './deliveryStore.ts';
import { lastSentRun } from './store.ts';
import { checkAgainstList, requireBurst } from './definition.ts';

/** What is to be run, for whom. */
export interface PlanOptions {
  readonly period?: string;
  /** Also to those who have it already. */
  readonly again: boolean;
  /** These recipients alone; all when left out. */
  readonly only?: readonly string[];
  /** Every copy goes to the sender. */
  readonly isTest?: boolean;
}

/** Recipients as copies are counted; somebody is named by themselves, or one of their copies by its own name. */
function chosenRecipients(
  definition: BurstDefinition,
  all: readonly Recipient[],
  only: readonly string[] | undefined,
): Recipient[] {
  const copies = all.flatMap((one) => recipientsOfCopies(definition, [one]).map((copy) => ({ one, copy })));
  if (only === undefined) return copies.map(({ copy }) => copy);
  const known = new Set(copies.flatMap(({ one, copy }) => [one.id, copy.id]));
  const unknown = only.find((one) => !known.has(one));
  if (unknown !== undefined) throw noSuch('recipient', unknown, [...known]);
  const wanted = new Set(only);
  return copies.filter(({ one, copy }) => wanted.has(one.id) || wanted.has(copy.id)).map(({ copy }) => copy);
}

/** A plan beside the last run that sent something. */
async function compare(app: App, name: string, entries: readonly PlanEntry[]) {
  const last = await lastSentRun(app, name);
  const sent = last ? await listDeliveries(app, last.id, ['sent']) : [];
  const former = sent.map(({ recipient, rowCount, files }) => ({ recipient, rows: Number(rowCount), files }));
  const compared: Comparison = comparePlan(entries, former);
  const ms = last?.startedAt && last.finishedAt ? last.finishedAt.getTime() - last.startedAt.getTime() : undefined;
  const planned = entries.filter((one) => one.action === 'send').length;
  return {
    compared,
    before: last && {
      run: last.id,
      period: last.occurrence,
      copies: sent.length,
      /** About how long this run takes, by how long that one did; milliseconds. */
      ...(ms !== undefined && sent.length > 0 ? { expectedMs: Math.round((ms / sent.length) * planned) } : {}),
    },
  };
}

/** Why somebody cannot be sent a copy as they may see it; nothing when they can. */
async function whyNotSeen(app: App, burst: PreparedBurst, cut: Cut): Promise<string | undefined> {
  if (cut.seenBy === undefined) return undefined;
  const { viewing, revisions } = burst;
  const person = burst.people.get(cut.seenBy);
  if (!person) return `nobody here has the address ${cut.seenBy}, so nothing can be made as they see it`;
  if (!(await rightOn(app, person, 'report', viewing.report.name))) return `${person.name} may not see the report`;
  for (const figure of viewing.page.figures.filter(asksData)) {
    const { shape } = revisions.get(datasetNameOf(viewing.report, figure.dataset)!)!;
    try {
      planFigure(viewing.report, figure, filterFor(burst, shape, cut, figure).visible);
    } catch (error) {
      if (!isRefusal(error)) throw error;
      return `${person.name} may not see everything on the page: ${error.message}`;
    }
  }
  return undefined;
}

/** What cuts out one recipient's copy, or why there is none. */
async function wantedCut(app: App, burst: PreparedBurst, recipient: Recipient): Promise<{ cut?: Cut; why?: string }> {
  try {
    const cut = cutOf(burst.definition, recipient);
    const why = await whyNotSeen(app, burst, cut);
    if (why !== undefined) return { why };
    // A value that cannot be read is found here, before anything is counted or made.
    for (const { shape } of burst.revisions.values()) filterFor(burst, shape, cut);
    return { cut };
  } catch (error) {
    if (!isRefusal(error, 'COPY_EMPTY') && !isRefusal(error, 'VALUE_INVALID')) throw error;
    return { why: error.message };
  }
}

/** How many rows each cut has: from one count over their values, or one each where no scan can be cut. */
async function rowsOfCuts(app: App, burst: PreparedBurst, cuts: readonly Cut[]): Promise<Map<string, number>> {
  const { rowRevision: revision } = burst;
  const { shape } = revision;
  const counts = new Map<string, number>();
  if (burst.road.kind === 'one pass') {
    const { filter, columns, tuples } = scanFor(burst, shape, cuts);
    const found = await countRowsPerTuple(app, { lane: 'planned', revision, filter }, columns);
    const rows = new Map(found.map((one) => [tupleKey(one.tuple), one.rows]));
    for (const [i, cut] of cuts.entries())
      counts.set(
        cutKey(cut),
        tuples[i]!.reduce((sum, tuple) => sum + (rows.get(tupleKey(tuple)) ?? 0), 0),
      );
    return counts;
  }
  await sideBySide(cuts, queriesAtOnce, async (cut) => {
    counts.set(cutKey(cut), await countRows(app, { lane: 'planned', revision, filter: filterFor(burst, shape, cut) }));
  });
  return counts;
}

/** What each recipient would get, with its rows. */
async function wantedCopies(app: App, burst: PreparedBurst, recipients: readonly Recipient[]): Promise<WantedCopy[]> {
  const wanted: { recipient: Recipient; cut?: Cut; why?: string }[] = [];
  for (const recipient of recipients) wanted.push({ recipient, ...(await wantedCut(app, burst, recipient)) });
  const cuts = new Map(wanted.flatMap(({ cut }) => (cut ? [[cutKey(cut), cut] as const] : [])));
  const rows = cuts.size === 0 ? new Map<string, number>() : await rowsOfCuts(app, burst, [...cuts.values()]);
  return wanted.map((one) => ({ ...one, rows: one.cut ? (rows.get(cutKey(one.cut)) ?? 0) : 0 }));
}

/** What tells why copies are empty: the values that occur at all, and whether the sender may see anything of what is cut. */
async function explainEmpty(
  app: App,
  burst: PreparedBurst,
  sender: PersonViewer,
): Promise<Pick<PlanInput, 'occurring' | 'blind'>> {
  const occurring = await occurringValues(app, burst);
  if ([...occurring.values()].some((values) => values.size > 0)) return { occurring };
  const { viewing, rowRevision: revision } = burst;
  const filter = outerFilter({ ...burst, viewing: { ...viewing, fixed: [] } }, revision.shape);
  if ((await countRows(app, { lane: 'planned', revision, filter })) > 0) return { occurring };
  return { occurring, blind: { sender: sender.name, dataset: revision.shape.name } };
}

/** Values that the sender may see at all, by list column: who is not among them is likely a slip of the pen. */
async function occurringValues(app: App, burst: PreparedBurst): Promise<Map<string, Set<string>>> {
  const { viewing, rowRevision: revision, bound } = burst;
  const filter = outerFilter({ ...burst, viewing: { ...viewing, fixed: [] } }, revision.shape);
  const found = new Map<string, Set<string>>();
  for (const { parameter, listColumn } of bound) {
    const column = parameterColumn(viewing.report, parameter, revision.shape);
    if (!column || parameter.period === true) continue;
    const values = await countRowsPerTuple(app, { lane: 'planned', revision, filter }, [column]);
    found.set(listColumn, new Set(values.map(({ tuple }) => textOfValue(tuple[0]!, column))));
  }
  return found;
}

export interface MadePlan {
  readonly burst: PreparedBurst;
  readonly entries: PlanEntry[];
  readonly template: FittedTemplate | undefined;
  /** Of the list, as it was read for this plan. */
  readonly listVersion: number;
  /** Recipient -> number of this copy among those sent for the same occurrence. */
  readonly repeats: Map<string, number>;
}

/** Works out a run without starting it. @throws {Refusal} `NOT_FOUND` for one of `only` who is not on the list */
export async function makePlan(app: App, person: PersonViewer, name: string, options: PlanOptions): Promise<MadePlan> {
  const definition = await requireBurst(app, person, name, 'edit');
  await requireRight(app, person, 'export', 'report', definition.report);
  const list = await currentList(app, person, await checkAgainstList(app, person, definition));
  const burst = await prepareBurst(app, person, definition, options.period);
  const template = await fittedTemplate(app, burst);
  if (template) new BookFiller(await fillerKit(app, burst, template)).check();
  const before = await sentBefore(app, name, burst.period.name);
  const recipients = chosenRecipients(definition, await listRecipients(app, list), options.only);
  const copies = await wantedCopies(app, burst, recipients);
  const isOdd = copies.some((one) => one.cut && (one.rows === 0 || definition.many !== undefined));
  const entries = planBurst({
    definition,
    unwanted: await unsubscribedFrom(app, name),
    period: burst.period,
    copies,
    start: runStart(app.now(), app.settings.timeZone),
    ...(isOdd ? await explainEmpty(app, burst, person) : {}),
    alreadySent: options.again || options.isTest ? new Map() : new Map([...before].map(([id, { run }]) => [id, run])),
  });
  return {
    burst,
    entries,
    template,
    listVersion: list.version,
    repeats: new Map([...before].map(([id, { repeat }]) => [id, repeat + 1])),
  };
}

/** What a run would do: who gets what, how many rows, who is skipped and why. Nothing is sent. */
export async function showPlan(
  app: App,
  person: PersonViewer,
  name: string,
  options: PlanOptions,
): Promise<ShownPlan<Date>> {
  const { burst, entries, template } = await makePlan(app, person, name, options);
  const { before, compared } = await compare(app, name, entries);
  const planned = entries.filter((one) => one.action === 'send');
  const { shape } = burst.rowRevision;
  const limits = (burst.road.kind === 'one pass' ? commonFilter : outerFilter)(burst, shape).explain();
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
    limits,
    /** How rows and figures are read, and why so. */
    road: burst.road,
    cut: {
      dataset: shape.name,
      by: burst.bound.map((one) => ({ parameter: one.parameter.name, listColumn: one.listColumn })),
      where: burst.definition.where ?? {},
    },
    /** Whose record rules limit the copies: the sender's alone, or each recipient's as well. */
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
    entries: entries.map(({ cut, files, ...one }) => {
      const { sizes, ...beside } = compared.entries.get(one.recipient)!;
      const sized = files.map((file, i) => ({ ...file, ...(sizes[i]! > 0 ? { bytes: sizes[i]! } : {}) }));
      return { ...one, files: sized, filter: explainCut(burst, cut), ...beside };
    }),
  };
}

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
      words: costWords(one),
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

/** The limits that cut out this one copy, in words; those for all stand above the plan. */
export function explainCut(burst: PreparedBurst, cut: Cut | undefined): string {
  if (cut === undefined) return '';
  const { shape } = burst.rowRevision;
  const common = new Set(
    outerFilter(burst, shape)
      .explain()
      .map((one) => one.words),
  );
  const own = filterFor(burst, shape, cut).explain();
  return own
    .filter((one) => one.origin === 'burst' || one.origin === 'record rule')
    .map((one) => one.words)
    .filter((words) => !common.has(words))
    .join('; ');
}
