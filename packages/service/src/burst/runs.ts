import type { PersonViewer } from '@underbell/core/access';
import type { DeliveryLog, LedgerEntry, PlanEntry, RunCause, ShownRun } from '@underbell/core/burst';
import { Refusal } from '@underbell/core/refusal';
import { notFound, requireRight, rightOn, visibleNames } from '../access/index.ts';
import { requireBudget } from '../usage/index.ts';
import { lockResource, enqueue, hurry, remember, runningWorkers, turns, type App } from '../platform/index.ts';
import { makePlan, type PlanOptions } from './plan.ts';
import { cutExplainer } from './showPlan.ts';
import { addRun, asOfRun, askToStop, changeRun, findRun, holdRun, listRuns, runBursts, moveRun } from './store.ts';
import { requireBurst } from './definition.ts';
import {
  countDeliveries,
  countEach,
  linksOf,
  listDeliveries,
  moveDeliveries,
  type CopyCounts,
  type DeliveryRow,
} from '../deliver/index.ts';
import type { RunRow } from './models.ts';

/** @throws {Refusal} `COPY_EMPTY` with one problem for each recipient without rows, where a burst is refused then */
function refuseEmpty(entries: readonly PlanEntry[]): void {
  const empty = entries.filter((one) => one.action === 'refuse');
  if (empty.length === 0) return;
  throw new Refusal('COPY_EMPTY', `${empty[0]!.reason}${empty.length > 1 ? `, and ${empty.length - 1} more` : ''}`, {
    hint: 'Nothing was sent. Remove these recipients from the list, or set “empty” to “skip”.',
    problems: empty.slice(0, 100).map((one) => ({ at: one.recipient, message: one.reason! })),
  });
}

/** Starts a run in the background. @throws {Refusal} `RUN_ACTIVE`, `COPY_EMPTY` */
export async function startRun(
  app: App,
  person: PersonViewer,
  name: string,
  options: PlanOptions & { origin: string; cause?: RunCause },
) {
  const { burst, entries, repeats, template, listVersion } = await makePlan(app, person, name, options);
  refuseEmpty(entries);
  await requireBudget(app, { kind: 'report', name: burst.definition.report });
  const isTest = options.isTest === true;
  const explain = cutExplainer(burst);
  const turn = turns();
  const addressed: (PlanEntry & { filter: string })[] = [];
  for (const one of entries) {
    // A test goes to its sender alone, whoever the copies are for.
    addressed.push({ ...one, filter: explain(one.cut), ...(isTest ? { address: person.email } : {}) });
    await turn();
  }
  const id = await app.records.transaction(async () => {
    await lockResource(app, 'runs of burst', name);
    const run = {
      burstName: name,
      occurrence: burst.period.name,
      definition: burst.definition,
      editionNumber: burst.editionNumber,
      revisions: Object.fromEntries([...burst.revisions].map(([dataset, revision]) => [dataset, revision.id])),
      templateVersion: template?.version ?? null,
      listVersion,
      senderId: person.id,
      isTest,
      cause: options.cause ?? 'hand',
      asOf: new Date(burst.viewing.moment.now),
    };
    const made = await addRun(app, run, addressed, repeats);
    const { release } = burst.definition;
    if (release === undefined || isTest) await enqueue(app, 'burst.run', { run: made });
    else
      for (const to of release) await enqueue(app, 'notice.mail', { to, ...sendApprovalEmail(app, person, run, made) });
    await remember(app, {
      who: person.email,
      what: `${isTest ? 'test run' : 'run'} ${made} started for ${burst.period.name}`,
      thing: `burst ${name}`,
      origin: options.origin,
    });
    return made;
  });
  return showRun(app, (await findRun(app, id))!);
}

/** The letter that asks somebody to release a run. */
function sendApprovalEmail(app: App, person: PersonViewer, run: Pick<RunRow, 'definition' | 'occurrence'>, id: number) {
  const { title, name } = run.definition;
  const what = run.occurrence === 'once' ? `“${title}”` : `“${title}” for ${run.occurrence}`;
  return {
    subject: `Approval needed: ${title} (run ${id})`,
    text: `${person.name} started a run that sends ${what}.\nNothing is sent until an approver approves it.\n\nReview run: ${app.settings.publicUrl}/console/bursts/${name}?run=${id}\n`,
  };
}

/** Lets a held run go: a second person, named by the burst, has looked at it. @throws {Refusal} `NOT_ALLOWED` */
export async function approveRun(app: App, person: PersonViewer, id: number, origin: string) {
  const run = await requireRun(app, person, id);
  const { release = [] } = run.definition;
  if (!release.includes(person.email.toLowerCase()))
    throw new Refusal('NOT_ALLOWED', `You are not an approver of burst “${run.burstName}”.`, {
      hint: `Approvers: ${release.join(', ')}.`,
    });
  if (person.id === run.senderId)
    throw new Refusal('NOT_ALLOWED', 'You cannot approve a run that you started.', {
      hint: 'Ask another approver.',
    });
  const isReleased = await app.records.transaction(async () => {
    const change = { state: 'waiting', phase: 'waiting for a worker', releasedBy: person.email } as const;
    if (!(await moveRun(app, id, ['held'], change))) return false;
    await enqueue(app, 'burst.run', { run: id });
    await remember(app, noteOf(person, run, 'released', origin));
    return true;
  });
  if (!isReleased)
    throw new Refusal('INPUT_INVALID', `Run ${id} is not awaiting approval (state: ${run.state}).`, {
      word: String(id),
    });
  return showRun(app, (await findRun(app, id))!);
}

/** Runs with their counts, by state of the deliveries. */
export async function showRuns(app: App, runs: readonly RunRow[]): Promise<ShownRun<Date>[]> {
  const waitsForWorker = ({ state }: RunRow) => state === 'waiting' || state === 'running';
  const [counts, workers] = await Promise.all([
    countEach(
      app,
      runs.map((run) => run.id),
    ),
    runs.some(waitsForWorker) ? runningWorkers(app) : undefined,
  ]);
  // Where a run waits for a worker and none lives, since when.
  const lone = workers && workers.running === 0 ? { noWorkerSince: workers.seenAt } : {};
  return runs.map((run) => ({ ...toShown(run, counts.get(run.id) ?? {}), ...(waitsForWorker(run) ? lone : {}) }));
}

export async function showRun(app: App, run: RunRow): Promise<ShownRun<Date>> {
  const [shown] = await showRuns(app, [run]);
  return shown!;
}

function toShown(run: RunRow, { bounced = 0, ...counts }: CopyCounts): ShownRun<Date> {
  const by = (...states: (keyof typeof counts)[]) => states.reduce((sum, state) => sum + (counts[state] ?? 0), 0);
  return {
    id: run.id,
    burst: run.burstName,
    period: run.occurrence,
    state: run.state,
    phase: run.phase,
    error: run.error,
    edition: run.editionNumber,
    rowsRead: run.rowsRead,
    createdAt: run.createdAt,
    startedAt: run.startedAt,
    finishedAt: run.finishedAt,
    keptUntil: run.keptUntil,
    isTest: run.isTest,
    cause: run.cause,
    ...(run.definition.release ? { release: run.definition.release, releasedBy: run.releasedBy } : {}),
    counts: {
      recipients: by('planned', 'skipped', 'rendered', 'sending', 'sent', 'failed', 'in doubt'),
      planned: by('planned', 'rendered', 'sending', 'sent', 'failed', 'in doubt'),
      skipped: by('skipped'),
      rendered: by('rendered', 'sending', 'sent'),
      sent: by('sent'),
      failed: by('failed'),
      inDoubt: by('in doubt'),
      bounced,
    },
  };
}

const shownDelivery = (row: DeliveryRow): LedgerEntry<Date> => ({
  recipient: row.recipient,
  address: row.address,
  rows: row.rowCount,
  filter: row.filter ?? '',
  files: row.files,
  state: row.state === 'rendered' && row.nextTryAt ? 'waiting' : row.state,
  reason: row.reason,
  ...(row.nextTryAt ? { nextTryAt: row.nextTryAt } : {}),
  messageId: row.messageId,
  changedAt: row.changedAt,
  repeat: row.repeat,
  attempts: row.attempts,
  destination: row.destination,
  places: row.places ?? [],
  ...(row.bounce ? { bounce: row.bounce, bouncedAt: row.bouncedAt } : {}),
});

export async function requireRun(app: App, person: PersonViewer, id: number): Promise<RunRow> {
  const run = await findRun(app, id);
  // A run of a burst that is not theirs to see is told apart from none by nothing.
  if (!run || (await rightOn(app, person, 'burst', run.burstName)) === undefined) throw notFound('run', String(id), []);
  return run;
}

/** A run with its ledger. */
export async function showLedger(app: App, person: PersonViewer, id: number): Promise<DeliveryLog<Date>> {
  const run = await requireRun(app, person, id);
  const [deliveries, links] = await Promise.all([listDeliveries(app, id), linksOf(app, id)]);
  return {
    ...(await showRun(app, run)),
    entries: deliveries.map((row) => {
      const link = links.get(row.id);
      return { ...shownDelivery(row), ...(link ? { link } : {}) };
    }),
  };
}

/** How far a run is, without its ledger. */
export async function showProgress(app: App, person: PersonViewer, id: number): Promise<ShownRun<Date>> {
  return showRun(app, await requireRun(app, person, id));
}

const runsAtOnce = 50;

/**
 * Runs of the bursts that somebody may see, newest first.
 *
 * @param before - the number of the last run of the page before
 * @returns `next`: where the next page begins; nothing after the last
 */
export async function seenRuns(app: App, person: PersonViewer, burst: string | undefined, before?: number) {
  if (burst !== undefined) await requireBurst(app, person, burst, 'view');
  const names = await visibleNames(app, person, 'burst', burst === undefined ? await runBursts(app) : [burst]);
  const found = await listRuns(app, names, { ...(before === undefined ? {} : { before }), count: runsAtOnce + 1 });
  const page = found.slice(0, runsAtOnce);
  return { runs: await showRuns(app, page), ...(found.length > page.length ? { next: page.at(-1)!.id } : {}) };
}

/** A run that somebody may steer. */
async function requireSteered(app: App, person: PersonViewer, id: number): Promise<RunRow> {
  const run = await requireRun(app, person, id);
  await requireRight(app, person, 'edit', 'burst', run.burstName);
  return run;
}

const noteOf = (person: PersonViewer, run: RunRow, what: string, origin: string) => ({
  who: person.email,
  what: `run ${run.id} ${what}`,
  thing: `burst ${run.burstName}`,
  origin,
});

const finished = (id: number) => new Refusal('RUN_CANCELLED', `Run ${id} has already finished.`);

/** Asks a run to stop; copies that have left stay sent, the others can be run again. */
export async function stopRun(app: App, person: PersonViewer, id: number, origin: string) {
  const run = await requireSteered(app, person, id);
  const isAsked = await app.records.transaction(async () => {
    await holdRun(app, id);
    // A paused run has no worker that could hear of it: one takes it up to end it.
    const wasPaused = await moveRun(app, id, ['paused', 'held'], { state: 'waiting', pauseAsked: false });
    if (wasPaused) await enqueue(app, 'burst.run', { run: id });
    const asked = await askToStop(app, id);
    if (asked) await remember(app, noteOf(person, run, 'stopped', origin));
    return asked;
  });
  if (!isAsked) throw finished(id);
  await hurry(app, 'burst.run', { run: id });
  return showRun(app, (await findRun(app, id))!);
}

/** Asks a run to pause: what is on its way arrives, the rest waits until somebody lets it go on. */
export async function pauseRun(app: App, person: PersonViewer, id: number, origin: string) {
  const run = await requireSteered(app, person, id);
  const isAsked = await app.records.transaction(async () => {
    await holdRun(app, id);
    const asked = await moveRun(app, id, ['waiting', 'running'], { pauseAsked: true });
    if (asked) await remember(app, noteOf(person, run, 'paused', origin));
    return asked;
  });
  if (!isAsked) throw finished(id);
  await hurry(app, 'burst.run', { run: id });
  return showRun(app, (await findRun(app, id))!);
}

/** Lets a paused run go on where its ledger stands. */
export async function continueRun(app: App, person: PersonViewer, id: number, origin: string) {
  const run = await requireSteered(app, person, id);
  const isGoing = await app.records.transaction(async () => {
    await holdRun(app, id);
    const change = { state: 'waiting', pauseAsked: false, phase: 'waiting for a worker' } as const;
    const moved = await moveRun(app, id, ['paused'], change);
    if (!moved) return moveRun(app, id, ['waiting', 'running'], { pauseAsked: false });
    await enqueue(app, 'burst.run', { run: id });
    await remember(app, noteOf(person, run, 'continued', origin));
    return true;
  });
  if (!isGoing) throw finished(id);
  return showRun(app, (await findRun(app, id))!);
}

/** Runs once more for those whose copy failed. @throws {Refusal} `NOT_FOUND` when none has */
export async function retryRun(app: App, person: PersonViewer, id: number, origin: string) {
  const run = await requireSteered(app, person, id);
  const failed = (await listDeliveries(app, id, ['failed'])).map((one) => one.recipient);
  if (failed.length === 0)
    throw new Refusal('NOT_FOUND', `Run ${id} has no failed deliveries.`, {
      hint: 'Resolve unconfirmed deliveries first.',
    });
  const period = run.definition.period ? { period: run.occurrence } : {};
  const asOf = asOfRun(run);
  return startRun(app, person, run.burstName, {
    ...period,
    asOf,
    again: false,
    only: failed,
    isTest: run.isTest,
    origin,
  });
}

/** Says of a copy in doubt whether it arrived; one that did not can be sent again. */
export async function resolveDelivery(
  app: App,
  person: PersonViewer,
  id: number,
  wish: { recipient: string; hasArrived: boolean; origin: string },
) {
  const run = await requireSteered(app, person, id);
  const delivery = (await listDeliveries(app, id)).find((one) => one.recipient === wish.recipient);
  if (!delivery) throw notFound('recipient', wish.recipient, []);
  const state = wish.hasArrived ? 'sent' : 'failed';
  const reason = `resolved by ${person.name}: ${wish.hasArrived ? 'delivered' : 'not delivered'}`;
  await app.records.transaction(async () => {
    const moved = await moveDeliveries(app, { ids: [delivery.id] }, ['in doubt'], { state, reason });
    if (moved === 0)
      throw new Refusal('INPUT_INVALID', `The delivery to “${wish.recipient}” is ${delivery.state}, not unconfirmed.`, {
        word: wish.recipient,
      });
    const what = `: the copy for ${wish.recipient} counts as ${state}`;
    await remember(app, noteOf(person, run, what, wish.origin));
  });
  const counts = await countDeliveries(app, id);
  if ((counts['in doubt'] ?? 0) + (counts.failed ?? 0) === 0 && run.state === 'partly')
    await changeRun(app, id, { state: 'done' });
  return showLedger(app, person, id);
}
