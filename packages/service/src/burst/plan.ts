import type { PersonViewer } from '@underbell/core/access';
import {
  cutKey,
  cutOf,
  formatsOf,
  planEntries,
  recipientsOfCopies,
  runStart,
  textOfValue,
  tupleKey,
  type BurstDefinition,
  type Cut,
  type MadeFormat,
  type PlanEntry,
  type PlanInput,
  type Recipient,
  type WantedCopy,
} from '@underbell/core/burst';
import { isRefusal } from '@underbell/core/refusal';
import { parameterColumn } from '@underbell/core/report';
import { notFound, requireRight, rightOn } from '../access/index.ts';
import { countRows, countRowsPerTuple } from '../dataset/index.ts';
import { mapConcurrent, turns, type App } from '../platform/index.ts';
import { currentList, listRecipients } from '../list/index.ts';
import {
  BookFiller,
  filterFor,
  type FittedTemplate,
  loadFillableTemplate,
  outerFilter,
  queriesAtOnce,
  validateJob,
  scanFor,
} from '../copies/index.ts';
import { checkPeriod } from './periodFit.ts';
import { prepareBurst, type PreparedBurst } from './prepare.ts';
import { unsubscribedFrom } from './unsubscribe.ts';
import { checkAgainstList, requireBurst } from './definition.ts';
import { sentBefore } from '../deliver/index.ts';

/** What is to be run, for whom. */
export interface PlanOptions {
  readonly period?: string;
  /** Also to those who have it already. */
  readonly again: boolean;
  /** These recipients alone; all when left out. */
  readonly only?: readonly string[];
  /** Every copy goes to the sender. */
  readonly isTest?: boolean;
  /** What days in words count from; now when left out. Milliseconds since 1970-01-01T00:00:00Z. */
  readonly asOf?: number;
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
  if (unknown !== undefined) throw notFound('recipient', unknown, [...known]);
  const wanted = new Set(only);
  return copies.filter(({ one, copy }) => wanted.has(one.id) || wanted.has(copy.id)).map(({ copy }) => copy);
}

/** Why somebody cannot be sent a copy as they may see it; nothing when they can. */
async function whyNotSeen(
  app: App,
  burst: PreparedBurst,
  cut: Cut,
  formats: readonly MadeFormat[],
): Promise<string | undefined> {
  if (cut.seenBy === undefined) return undefined;
  const person = burst.people.get(cut.seenBy);
  if (!person) return `there is no user ${cut.seenBy}`;
  if (!(await rightOn(app, person, 'report', burst.viewing.report.name)))
    return `${person.name} has no access to the report`;
  try {
    await validateJob(app, burst, formats, cut);
    return undefined;
  } catch (error) {
    if (!isRefusal(error)) throw error;
    return `${person.name} has no access to all data of the copy: ${error.message}`;
  }
}

/** What cuts out one recipient's copy, or why there is none. */
async function wantedCut(app: App, burst: PreparedBurst, recipient: Recipient): Promise<{ cut?: Cut; why?: string }> {
  try {
    const cut = cutOf(burst.definition, recipient);
    const { files, inline } = formatsOf(burst.definition, recipient);
    const why = await whyNotSeen(app, burst, cut, [...files, ...inline]);
    if (why !== undefined) return { why };
    // A value that cannot be read is found here, before anything is counted or made.
    for (const { shape } of burst.revisions.values()) filterFor(burst, shape, cut);
    // What the sender is not shown keeps every copy from being made; that is no matter of this recipient.
    if (cut.seenBy === undefined && burst.strategy.kind !== 'one pass')
      await validateJob(app, burst, [...files, ...inline], cut);
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
  if (burst.strategy.kind === 'one pass') {
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
  await mapConcurrent(cuts, queriesAtOnce, async (cut) => {
    counts.set(cutKey(cut), await countRows(app, { lane: 'planned', revision, filter: filterFor(burst, shape, cut) }));
  });
  return counts;
}

/** What each recipient would get, with its rows. */
async function wantedCopies(app: App, burst: PreparedBurst, recipients: readonly Recipient[]): Promise<WantedCopy[]> {
  const wanted: { recipient: Recipient; cut?: Cut; why?: string }[] = [];
  const turn = turns();
  for (const recipient of recipients) {
    wanted.push({ recipient, ...(await wantedCut(app, burst, recipient)) });
    await turn();
  }
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

/** A plan refuses what the run would be refused for. @throws {Refusal} `COLUMN_HIDDEN`, `GROUPS_TOO_SMALL` */
export async function refuseUnsendable(app: App, burst: PreparedBurst): Promise<void> {
  if (burst.strategy.kind !== 'one pass') return;
  const { files, inline } = formatsOf(burst.definition, {});
  await validateJob(app, burst, [...files, ...inline]);
}

export interface MadePlan {
  readonly burst: PreparedBurst;
  readonly entries: PlanEntry[];
  readonly template: FittedTemplate | undefined;
  /** Of the list, as it was read for this plan. */
  readonly listVersion: number;
  /** Rows that it was loaded without. */
  readonly skippedRows: number;
  /** Recipient -> number of this copy among those sent for the same occurrence. */
  readonly repeats: Map<string, number>;
}

/** Works out a run without starting it. @throws {Refusal} `NOT_FOUND` for one of `only` who is not on the list */
export async function makePlan(app: App, person: PersonViewer, name: string, options: PlanOptions): Promise<MadePlan> {
  const definition = await requireBurst(app, person, name, 'edit');
  await requireRight(app, person, 'export', 'report', definition.report);
  const list = await currentList(app, person, await checkAgainstList(app, person, definition));
  const burst = await prepareBurst(
    app,
    person,
    definition,
    options.period,
    options.asOf === undefined ? {} : { asOf: options.asOf },
  );
  const template = await loadFillableTemplate(app, burst);
  if (template) new BookFiller({ template, values: [...(await burst.cutValues())] }).check();
  await refuseUnsendable(app, burst);
  await checkPeriod(app, burst);
  const before = await sentBefore(app, name, burst.period.name);
  const recipients = chosenRecipients(definition, await listRecipients(app, list), options.only);
  const copies = await wantedCopies(app, burst, recipients);
  const isOdd = copies.some((one) => one.cut && (one.rows === 0 || definition.many !== undefined));
  const input: PlanInput = {
    definition,
    unwanted: await unsubscribedFrom(app, name),
    period: burst.period,
    copies,
    start: runStart(app.now(), app.settings.timeZone),
    ...(isOdd ? await explainEmpty(app, burst, person) : {}),
    alreadySent: options.again || options.isTest ? new Map() : new Map([...before].map(([id, { run }]) => [id, run])),
  };
  const entries: PlanEntry[] = [];
  const turn = turns();
  for (const entry of planEntries(input)) {
    entries.push(entry);
    await turn();
  }
  return {
    burst,
    entries,
    template,
    listVersion: list.version,
    skippedRows: list.skipped?.rows ?? 0,
    repeats: new Map([...before].map(([id, { repeat }]) => [id, repeat + 1])),
  };
}
