import type { PersonViewer } from '@underbell/core/access';
import {
  checkTemplate,
  planBurst,
  readBurst,
  templateNamesFor,
  type BurstDefinition,
  type PlanEntry,
} from '@underbell/core/burst';
import { Refusal, suggest } from '@underbell/core/refusal';
import { explainLimits } from '../view/index.ts';
import { noSuch, putGrant, requireMaker, requireRight, visibleNames } from '../access/index.ts';
import { countRowsPerValue } from '../dataset/index.ts';
import { enqueue, remember, type App } from '../platform/index.ts';
import { listRecipients, type ListRow } from './listStore.ts';
import { requireList } from './listUsecases.ts';
import { commonFilter, copyColumns, filterFor, partitionColumn, prepareBurst, type PreparedBurst } from './prepare.ts';
import {
  addRun,
  askToStop,
  countDeliveries,
  findBurst,
  findRun,
  listBursts,
  listDeliveries,
  listRuns,
  putBurst,
  sentBefore,
  type DeliveryRow,
  type RunRow,
} from './store.ts';

/** Checks names that only the report and the list know. */
async function checkAgainstList(app: App, person: PersonViewer, definition: BurstDefinition): Promise<ListRow> {
  const list = await requireList(app, person, definition.list);
  for (const [parameter, column] of Object.entries(definition.bind)) {
    if (list.columns.includes(column)) continue;
    throw new Refusal('BURST_INVALID', `the list \`${list.name}\` has no column \`${column}\``, {
      pointer: `/bind/${parameter}`,
      word: column,
      ...suggest(column, list.columns),
    });
  }
  const known = templateNamesFor(list.columns);
  checkTemplate(definition.fileName, known, '/fileName');
  checkTemplate(definition.destination.subject, known, '/destination/subject');
  checkTemplate(definition.destination.message, known, '/destination/message');
  return list;
}

/** Saves a burst; whoever saves it is its sender, and the sender's rights are its outer limit. */
export async function saveBurst(app: App, person: PersonViewer, value: unknown, origin: string) {
  const definition = readBurst(value);
  const { name } = definition;
  const known = await findBurst(app, name);
  if (known) await requireRight(app, person, 'edit', 'burst', name);
  else await requireMaker(app, person, 'burst');
  await requireRight(app, person, 'export', 'report', definition.report);
  await checkAgainstList(app, person, definition);
  const sample = definition.period?.unit === 'month' ? '2026-01' : definition.period ? '2026-01-01' : undefined;
  copyColumns(await prepareBurst(app, person, definition, sample));
  await app.records.transaction(async (transaction) => {
    await putBurst(app, definition, person.id, transaction);
    if (!known)
      await putGrant(
        app,
        { holder: { kind: 'person', name: person.email }, thing: { kind: 'burst', name }, level: 'own' },
        transaction,
      );
    await remember(
      app,
      {
        who: person.email,
        what: 'burst saved',
        thing: `burst ${name}`,
        origin,
        before: known?.definition,
        after: definition,
      },
      transaction,
    );
  });
  return definition;
}

async function requireBurst(
  app: App,
  person: PersonViewer,
  name: string,
  level: 'view' | 'edit',
): Promise<BurstDefinition> {
  const burst = await findBurst(app, name);
  if (!burst)
    throw noSuch(
      'burst',
      name,
      await visibleNames(
        app,
        person,
        'burst',
        (await listBursts(app)).map((one) => one.name),
      ),
    );
  await requireRight(app, person, level, 'burst', name);
  return burst.definition;
}

export async function seenBursts(app: App, person: PersonViewer) {
  const all = await listBursts(app);
  const names = await visibleNames(
    app,
    person,
    'burst',
    all.map((one) => one.name),
  );
  return Promise.all(
    all
      .filter((one) => names.includes(one.name))
      .map(async ({ name, definition }) => {
        const [last] = await listRuns(app, name, 1);
        return { name, definition, lastRun: last ? await showRun(app, last) : null };
      }),
  );
}

interface MadePlan {
  readonly burst: PreparedBurst;
  readonly entries: PlanEntry[];
  /** Recipient -> number of this copy among those sent for the same occurrence. */
  readonly repeats: Map<string, number>;
}

async function makePlan(
  app: App,
  person: PersonViewer,
  name: string,
  options: { period?: string; again: boolean },
): Promise<MadePlan> {
  const definition = await requireBurst(app, person, name, 'edit');
  await requireRight(app, person, 'export', 'report', definition.report);
  const list = await checkAgainstList(app, person, definition);
  const burst = await prepareBurst(app, person, definition, options.period);
  const filter = commonFilter(burst, burst.rowRevision.shape);
  const rowCounts = await countRowsPerValue(app, { lane: 'planned', revision: burst.rowRevision, filter }, burst.key);
  const before = await sentBefore(app, name, burst.period.name);
  const entries = planBurst({
    definition,
    period: burst.period,
    recipients: await listRecipients(app, list),
    keyType: burst.key.type,
    rowCounts,
    alreadySent: options.again ? new Map() : new Map([...before].map(([id, { run }]) => [id, run])),
  });
  return { burst, entries, repeats: new Map([...before].map(([id, { repeat }]) => [id, repeat + 1])) };
}

/** What a run would do: who gets what, how many rows, who is skipped and why. Nothing is sent. */
export async function showPlan(
  app: App,
  person: PersonViewer,
  name: string,
  options: { period?: string; again: boolean },
) {
  const { burst, entries } = await makePlan(app, person, name, options);
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
    entries: entries.map((one) => ({ ...one, filter: one.value === undefined ? '' : explainCut(burst, one) })),
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
    entry.action === 'send' ? `gets ${entry.files.map((one) => one.name).join(', ')}` : `is skipped: ${entry.reason}`;
  return {
    burst: name,
    as: { kind: 'recipient', name: entry.recipient },
    right: { level: entry.action === 'send' ? 'view' : 'none', because: what },
    datasets,
    figures: [],
    results: {},
  };
}

/** Starts a run in the background. @throws {Refusal} `RUN_ACTIVE` */
export async function startRun(
  app: App,
  person: PersonViewer,
  name: string,
  options: { period?: string; again: boolean; origin: string },
) {
  const { burst, entries, repeats } = await makePlan(app, person, name, options);
  const id = await app.records.transaction(async (transaction) => {
    await app.records.query('SELECT pg_advisory_xact_lock(hashtext(:name))', {
      replacements: { name: `burst ${name}` },
      transaction,
    });
    const run = {
      burstName: name,
      occurrence: burst.period.name,
      definition: burst.definition,
      editionNumber: burst.editionNumber,
      revisions: Object.fromEntries([...burst.revisions].map(([dataset, revision]) => [dataset, revision.id])),
      senderId: person.id,
    };
    const made = await addRun(app, run, entries, repeats, transaction);
    await enqueue(app, 'burst.run', { run: made }, transaction);
    await remember(
      app,
      {
        who: person.email,
        what: `run ${made} started for ${burst.period.name}`,
        thing: `burst ${name}`,
        origin: options.origin,
      },
      transaction,
    );
    return made;
  });
  return showRun(app, (await findRun(app, id))!);
}

/** A run with its counts, by state of the deliveries. */
export async function showRun(app: App, run: RunRow) {
  const counts = await countDeliveries(app, run.id);
  const by = (...states: (keyof typeof counts)[]) => states.reduce((sum, state) => sum + (counts[state] ?? 0), 0);
  return {
    id: run.id,
    burst: run.burstName,
    period: run.occurrence,
    state: run.state,
    phase: run.phase,
    error: run.error,
    edition: run.editionNumber,
    rowsRead: Number(run.rowsRead),
    createdAt: run.createdAt,
    startedAt: run.startedAt,
    finishedAt: run.finishedAt,
    counts: {
      recipients: by('planned', 'skipped', 'rendered', 'sending', 'sent', 'failed', 'in doubt'),
      planned: by('planned', 'rendered', 'sending', 'sent', 'failed', 'in doubt'),
      skipped: by('skipped'),
      rendered: by('rendered', 'sending', 'sent'),
      sent: by('sent'),
      failed: by('failed'),
      inDoubt: by('in doubt'),
    },
  };
}

const shownDelivery = (row: DeliveryRow) => ({
  recipient: row.recipient,
  address: row.address,
  rows: Number(row.rowCount),
  files: row.files,
  state: row.state,
  reason: row.reason,
  messageId: row.messageId,
  changedAt: row.changedAt,
  repeat: row.repeat,
});

async function requireRun(app: App, person: PersonViewer, id: number): Promise<RunRow> {
  const run = await findRun(app, id);
  if (!run) throw noSuch('run', String(id), []);
  await requireRight(app, person, 'view', 'burst', run.burstName);
  return run;
}

/** A run with its ledger. */
export async function showLedger(app: App, person: PersonViewer, id: number) {
  const run = await requireRun(app, person, id);
  return { ...(await showRun(app, run)), entries: (await listDeliveries(app, id)).map(shownDelivery) };
}

export async function seenRuns(app: App, person: PersonViewer, burst: string | undefined) {
  if (burst !== undefined) await requireBurst(app, person, burst, 'view');
  const runs = await listRuns(app, burst, 50);
  const names = new Set(await visibleNames(app, person, 'burst', [...new Set(runs.map((one) => one.burstName))]));
  return Promise.all(runs.filter((one) => names.has(one.burstName)).map((one) => showRun(app, one)));
}

/** Asks a run to stop; copies that have left stay sent, the others can be run again. */
export async function stopRun(app: App, person: PersonViewer, id: number, origin: string) {
  const run = await requireRun(app, person, id);
  await requireRight(app, person, 'edit', 'burst', run.burstName);
  if (!(await askToStop(app, id))) throw new Refusal('RUN_STOPPED', `run ${id} has already finished`);
  await app.records.transaction((transaction) =>
    remember(
      app,
      { who: person.email, what: `run ${id} stopped`, thing: `burst ${run.burstName}`, origin },
      transaction,
    ),
  );
  return showRun(app, (await findRun(app, id))!);
}
