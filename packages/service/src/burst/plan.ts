import { randomUUID } from 'node:crypto';
import { join } from 'node:path';
import type { PersonViewer } from '@underbell/core/access';
import {
  comparePlan,
  destinationName,
  leastMs,
  planBurst,
  rateWords,
  type BurstDestination,
  type Comparison,
  type CopyFormat,
  type PlanEntry,
  type Recipient,
} from '@underbell/core/burst';
import { fitsType, parseValue, type Value } from '@underbell/core/dataset';
import { Refusal, suggest } from '@underbell/core/refusal';
import { noSuch, requireRight } from '../access/index.ts';
import { findDestination } from '../deliver/index.ts';
import { countRowsPerValue } from '../dataset/index.ts';
import { momentOf, type App } from '../platform/index.ts';
import { explainLimits } from '../view/index.ts';
import { listRecipients } from './listStore.ts';
import { currentList } from './listUsecases.ts';
import { BookFiller, fittedTemplate, type FittedTemplate } from './filled.ts';
import { makeSample } from './make.ts';
import { commonFilter, filterFor, partitionColumn, prepareBurst, type PreparedBurst } from './prepare.ts';
import { lastSentRun, listDeliveries, sentBefore } from './store.ts';
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

function chosenRecipients(all: readonly Recipient[], only: readonly string[] | undefined): readonly Recipient[] {
  if (only === undefined) return all;
  const known = all.map((one) => one.id);
  const unknown = only.find((one) => !known.includes(one));
  if (unknown !== undefined) throw noSuch('recipient', unknown, known);
  return all.filter((one) => only.includes(one.id));
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

/** Whether a recipient's value has rows; one that cannot be read has none. */
function hasRows(burst: PreparedBurst, recipient: Recipient, counts: ReadonlyMap<Value, number>): boolean {
  const raw = recipient.values[burst.listColumn] ?? '';
  return fitsType(raw, burst.key.type) && (counts.get(parseValue(raw, burst.key.type)) ?? 0) > 0;
}

/** Values that the sender may see at all: who is not among them is likely a slip of the pen. */
async function occurringValues(app: App, burst: PreparedBurst): Promise<Set<Value>> {
  const everyPeriod = { ...burst, viewing: { ...burst.viewing, fixed: [] } };
  const filter = commonFilter(everyPeriod, burst.rowRevision.shape);
  return new Set(
    (await countRowsPerValue(app, { lane: 'planned', revision: burst.rowRevision, filter }, burst.key)).keys(),
  );
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
  if (template) (await BookFiller.open(app, burst, template)).check();
  const filter = commonFilter(burst, burst.rowRevision.shape);
  const rowCounts = await countRowsPerValue(app, { lane: 'planned', revision: burst.rowRevision, filter }, burst.key);
  const before = await sentBefore(app, name, burst.period.name);
  const all = await listRecipients(app, list);
  const recipients = chosenRecipients(all, options.only);
  const hasEmpty = recipients.some((one) => !hasRows(burst, one, rowCounts));
  const entries = planBurst({
    definition,
    period: burst.period,
    recipients,
    keyType: burst.key.type,
    rowCounts,
    today: momentOf(app).today,
    ...(hasEmpty ? { occurring: await occurringValues(app, burst) } : {}),
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
export async function showPlan(app: App, person: PersonViewer, name: string, options: PlanOptions) {
  const { burst, entries, template } = await makePlan(app, person, name, options);
  const { before, compared } = await compare(app, name, entries);
  const planned = entries.filter((one) => one.action === 'send');
  const { shape } = burst.rowRevision;
  const limits = commonFilter(burst, shape).explain();
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
    cut: { parameter: burst.bound.name, listColumn: burst.listColumn, dataset: shape.name, column: burst.key.name },
    counts: {
      recipients: entries.length,
      planned: planned.length,
      skipped: entries.length - planned.length,
      sent: 0,
      failed: 0,
      rows: planned.reduce((sum, one) => sum + one.rows, 0),
      files: planned.reduce((sum, one) => sum + one.files.length, 0),
    },
    destination: await explainDestination(app, burst.definition.destination, planned.length),
    ...(template ? { template: explainTemplate(template) } : {}),
    /** What the run before sent; nothing when there was none. */
    ...(before ? { before } : {}),
    gone: compared.gone,
    bytes: compared.bytes,
    entries: entries.map((one) => ({
      ...one,
      filter: one.value === undefined ? '' : explainCut(burst, one),
      ...compared.entries.get(one.recipient),
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

/** The limit that cuts out this one copy; those for all stand above the plan. */
function explainCut(burst: PreparedBurst, entry: PlanEntry): string {
  return filterFor(burst, burst.rowRevision.shape, [entry.value!]).explain().at(-1)!.words;
}

/**
 * What one recipient's copy would hold: every limit of each dataset with the rows left after it.
 *
 * @throws {Refusal} `NOT_FOUND` for somebody who is not on the list
 */
export async function seeRecipient(
  app: App,
  person: PersonViewer,
  name: string,
  options: { recipient: string; period?: string },
) {
  const { burst, entries } = await makePlan(app, person, name, { ...options, again: true });
  const entry = entries.find((one) => one.recipient === options.recipient);
  if (!entry) {
    const known = entries.map((one) => one.recipient);
    throw noSuch('recipient', options.recipient, known);
  }
  const { value } = entry;
  const datasets = await Promise.all(
    [...burst.revisions.values()].map((revision) =>
      explainLimits(
        app,
        revision,
        value === undefined || partitionColumn(burst, revision.shape) === undefined
          ? commonFilter(burst, revision.shape)
          : filterFor(burst, revision.shape, [value]),
      ),
    ),
  );
  const what =
    entry.action !== 'send'
      ? `is skipped: ${entry.reason}`
      : `gets ${entry.files.map((one) => one.name).join(', ') || 'a note without files'}`;
  return {
    burst: name,
    as: { kind: 'recipient', name: entry.recipient },
    right: { level: entry.action === 'send' ? 'view' : 'none', because: what },
    datasets,
    figures: [],
    results: {},
  };
}

/**
 * The very file that a recipient would get, made for the sender to look at.
 *
 * @throws {Refusal} `NOT_FOUND`, `COPY_EMPTY` for somebody without rows
 */
export async function sampleOf(
  app: App,
  person: PersonViewer,
  name: string,
  wish: { recipient: string; period?: string; format?: CopyFormat },
): Promise<{ bytes: Buffer; fileName: string; format: CopyFormat }> {
  const { burst, entries } = await makePlan(app, person, name, { ...wish, again: true, only: [wish.recipient] });
  const [entry] = entries;
  const { formats } = burst.definition;
  const format = wish.format ?? formats[0]!;
  if (!formats.includes(format))
    throw new Refusal('INPUT_INVALID', `\`${name}\` sends no ${format}`, {
      pointer: 'format',
      word: format,
      ...suggest(format, formats),
    });
  const file = entry!.files.find((one) => one.format === format);
  if (!file || entry!.value === undefined)
    throw new Refusal('COPY_EMPTY', `there is no file for \`${wish.recipient}\`: ${entry!.reason ?? 'no rows'}`);
  const folder = join(app.settings.spool, `sample-${randomUUID()}`);
  return { bytes: await makeSample(app, burst, entry!.value, format, folder), fileName: file.name, format };
}
